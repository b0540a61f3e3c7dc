"""What visitors come for: the apex, www and mail."""

from collections.abc import Iterator

from legatum.core.findings.finding import Occurrence, Severity, finding
from legatum.core.observation.observation import Observation
from legatum.core.records.address import address_text
from legatum.core.records.name import ROOT, Name, below, name_text
from legatum.core.records.rrset import targets
from legatum.core.records.rrtype import AAAA, CNAME, MX, TXT, A
from legatum.core.records.space import is_public

_LONGEST_CHAIN = 8


def _lacks(observation: Observation, name: Name, *rtypes: int) -> bool:
    """All of these were asked for, and there is none."""
    return all((name, rtype) in observation.contents and observation.contents[name, rtype] is None for rtype in rtypes)


@finding(
    "apex-without-address", Severity.NOTICE, "The bare domain has no address",
    why="Who types the name without www finds nothing.",
    remedy="Add A and AAAA records at the apex; an alias cannot stand there.",
    standard="RFC 1912 s2.4",
    after=("apex-is-alias",),
)  # fmt: skip
def apex_without_address(observation: Observation) -> Iterator[Occurrence]:
    if _lacks(observation, observation.domain, A, AAAA):
        yield Occurrence(f"{name_text(observation.domain)} has neither A nor AAAA")


@finding(
    "www-missing", Severity.NOTICE, "There is no www",
    why="Many people and links use the name with www in front; it is the record most often forgotten in a move.",
    remedy="Add www as an alias to the bare domain, or with the same addresses.",
    standard="RFC 1034 s3.6.2",
)  # fmt: skip
def www_missing(observation: Observation) -> Iterator[Occurrence]:
    www = below("www", observation.domain)
    if _lacks(observation, www, A, AAAA) and not observation.contents.get((www, CNAME)):
        yield Occurrence(f"{name_text(www)} does not exist")


@finding(
    "mail-to-alias", Severity.WARNING, "Mail is sent to an alias",
    why="An MX record must name a host with addresses of its own; some mail servers refuse or loop.",
    remedy="Use the name that the alias leads to in the MX record.",
    standard="RFC 2181 s10.3",
)  # fmt: skip
def mail_to_alias(observation: Observation) -> Iterator[Occurrence]:
    for host in targets(observation.contents.get((observation.domain, MX))):
        if observation.contents.get((host, CNAME)):
            yield Occurrence(f"MX {name_text(host)} is an alias")


@finding(
    "apex-is-alias",
    Severity.ERROR,
    "The bare domain is an alias",
    why=(
        "An alias may have no data beside it, but here SOA and NS must stand: mail and name servers are lost "
        "to many resolvers."
    ),
    remedy="Put the addresses the alias leads to at the apex as A and AAAA records.",
    standard="RFC 1034 s3.6.2",
)
def apex_is_alias(observation: Observation) -> Iterator[Occurrence]:
    alias = observation.contents.get((observation.domain, CNAME))
    if alias:
        yield Occurrence(f"{name_text(observation.domain)} leads to {name_text(targets(alias)[0])}")


@finding(
    "www-leads-nowhere", Severity.ERROR, "www leads to a name without an address",
    why="Whoever types www gets an error page from the browser.",
    remedy="Point www at a name that exists; after a move check that the target was brought along.",
    standard="RFC 1034 s3.6.2",
)  # fmt: skip
def www_leads_nowhere(observation: Observation) -> Iterator[Occurrence]:
    alias = observation.contents.get((below("www", observation.domain), CNAME))
    target = targets(alias)[0] if alias else None
    if target is not None and _nowhere(observation, target):
        yield Occurrence(
            f"{name_text(below('www', observation.domain))} leads to {name_text(target)}, which has no address"
        )


@finding(
    "mail-missing",
    Severity.NOTICE,
    "No mail record",
    why="Mail then goes to the bare domain's address, which is seldom meant; it is often forgotten in a move.",
    remedy=(
        "Add MX records; if the domain takes no mail, say so with a single MX of preference 0 to the root (RFC 7505)."
    ),
    standard="RFC 5321 s5.1",
)
def mail_missing(observation: Observation) -> Iterator[Occurrence]:
    if (observation.domain, MX) in observation.contents and observation.contents[observation.domain, MX] is None:
        yield Occurrence(f"{name_text(observation.domain)} has no MX")


@finding(
    "mail-lost", Severity.ERROR, "No mail server has an address",
    why="All mail to the domain comes back to its senders, after hours or days.",
    remedy="Add the addresses of the mail servers' names; after a move check that they were brought along.",
    standard="RFC 5321 s5.1",
)  # fmt: skip
def mail_lost(observation: Observation) -> Iterator[Occurrence]:
    hosts = _mail_hosts(observation)
    if hosts and all(_nowhere(observation, host) for host in hosts):
        yield Occurrence(f"{', '.join(name_text(host) for host in hosts)}: no address")


@finding(
    "mail-host-without-address", Severity.WARNING, "A mail server's name has no address",
    why="Mail is delayed until the sender tries the next one, and lost to senders that try only the first.",
    remedy="Add the address of that name, or take it out of the MX set.",
    standard="RFC 1912 s2.5",
    after=("mail-lost",),
)  # fmt: skip
def mail_host_without_address(observation: Observation) -> Iterator[Occurrence]:
    for host in _mail_hosts(observation):
        if _nowhere(observation, host):
            yield Occurrence(f"MX {name_text(host)}: no address", (), name_text(host))


@finding(
    "visitors-sent-to-special-address",
    Severity.WARNING,
    "Visitors are sent to an address that the world cannot reach",
    why=(
        "Private, loopback and documentation addresses lead nowhere from outside; internal records in a "
        "public zone tell strangers too."
    ),
    remedy=(
        "Put the public address there; keep internal addresses in an internal zone. If the range is in "
        "use at your site, set `home`."
    ),
    standard="RFC 6890 s2",
)
def visitors_sent_to_special_address(observation: Observation) -> Iterator[Occurrence]:
    for rrset in observation.contents.values():
        if rrset is not None and rrset.rtype in (A, AAAA):
            for address in (address_text(rdata) for rdata in rrset.rdatas):
                if not is_public(address, observation.home):
                    yield Occurrence(f"{name_text(rrset.name)}: {address}")


@finding(
    "wildcard-answers",
    Severity.NOTICE,
    "Every name under the domain exists",
    why=(
        "A wildcard hides typing errors and forgotten records: after a move a missing name answers with the "
        "wrong thing."
    ),
    remedy="Nothing, if it is meant. When comparing two sides, do not take the wildcard's answer for the name's own.",
    standard="RFC 4592 s2",
)
def wildcard_answers(observation: Observation) -> Iterator[Occurrence]:
    if observation.denial and observation.denial.wildcard:
        yield Occurrence(f"{name_text(observation.denial.name)}, which nobody made, is answered")


@finding(
    "two-spf-records", Severity.WARNING, "Two SPF records",
    why="Receivers treat more than one as an error: mail from the domain is marked as suspect or refused.",
    remedy="Join them into one record.",
    standard="RFC 7208 s3.2",
)  # fmt: skip
def two_spf_records(observation: Observation) -> Iterator[Occurrence]:
    texts = observation.contents.get((observation.domain, TXT))
    found = [rdata for rdata in texts.rdatas if rdata[1:7].lower() == b"v=spf1"] if texts else []
    if len(found) > 1:
        yield Occurrence(f"{len(found)} TXT records begin with v=spf1")


def _mail_hosts(observation: Observation) -> list[Name]:
    """A single MX to the root means that the domain takes no mail (RFC 7505)."""
    return [host for host in targets(observation.contents.get((observation.domain, MX))) if host != ROOT]


def _nowhere(observation: Observation, host: Name) -> bool:
    """The name was looked up, and has neither an address nor an alias that leads to one."""
    for _ in range(_LONGEST_CHAIN):
        seen = [rtype for rtype in (A, AAAA) if (host, rtype) in observation.contents]
        if any(observation.contents[host, rtype] for rtype in seen):
            return False
        alias = observation.contents.get((host, CNAME))
        if alias is None:
            return len(seen) == 2
        host = targets(alias)[0]
    return True


@finding(
    "followed-addresses-moved",
    Severity.ERROR,
    "A name no longer has the addresses that it is to follow",
    why=(
        "No alias may stand there, so the addresses of the site were copied; it has moved since, and "
        "visitors come to where it was."
    ),
    remedy="Give it the new ones: `legatum move draft DOMAIN --alias NAME=TARGET`.",
    standard="RFC 1034 s3.6.2",
)
def followed_addresses_moved(observation: Observation) -> Iterator[Occurrence]:
    for each in observation.tracked:
        if each.moved:
            theirs, own = ", ".join(each.theirs), ", ".join(each.own)
            yield Occurrence(f"{name_text(each.target)} has {theirs} now, {name_text(each.name)} {own}")
