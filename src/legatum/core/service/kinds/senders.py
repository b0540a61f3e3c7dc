"""Whether the domain's mail is believed elsewhere: who may send for it, and what other servers look up about its
hosts."""

import re
from collections.abc import Iterator

from legatum.core.findings.finding import Occurrence, Severity, finding
from legatum.core.records.name import Name, name_text
from legatum.core.records.presentation import rdata_texts
from legatum.core.records.rrset import RRset
from legatum.core.records.rrtype import TXT, type_text
from legatum.core.service.records import NameRecords, Reverse
from legatum.core.service.seen import MailSeen, Visit
from legatum.core.service.spf import MOST_VOID, Result, spf_texts
from legatum.core.service.spot import Protocol

_KEPT = {
    b"_dmarc": "DMARC",
    b"_mta-sts": "MTA-STS",
    b"_tls": "TLS reports",
    b"_domainkey": "DKIM",
    b"_acme-challenge": "certificates",
}


@finding(
    "spf-broken",
    Severity.ERROR,
    "SPF is broken for everybody who looks it up",
    why="Receivers treat a record that they cannot work out as broken: mail of the domain is refused or marked.",
    remedy=(
        "Mend what is named; more than ten look-ups: replace `include`, `a` and `mx` by addresses, take "
        "out services no longer used."
    ),
    standard="RFC 7208 s4.6.4",
)
def spf_broken(visit: Visit) -> Iterator[Occurrence]:
    told = set()
    for each in _records(visit).senders.values():
        if each.result == Result.BROKEN and each.why not in told:
            told.add(each.why)
            yield Occurrence(f"{name_text(visit.domain)}: {each.why}")


@finding(
    "spf-forgets-server",
    Severity.WARNING,
    "SPF does not let the domain's own mail server send",
    why=(
        "What that server sends is marked or refused elsewhere. After a move it is mostly the new address "
        "that was forgotten."
    ),
    remedy=(
        "Add the address to the SPF record (ip4:, ip6:) before the server sends from there; keep the old "
        "one until it sends no more."
    ),
    standard="RFC 7208 s2.6",
    after=("spf-broken",),
)
def spf_forgets_server(visit: Visit) -> Iterator[Occurrence]:
    for address, each in _records(visit).senders.items():
        if each.result in (Result.FAIL, Result.SOFTFAIL, Result.NEUTRAL):
            unread = f"; not read: {', '.join(each.unread)}" if each.unread else ""
            yield Occurrence(f"{address}: {each.result}, by {each.by or 'the end of the record'}{unread}", (), address)


@finding(
    "spf-void-lookups",
    Severity.WARNING,
    "SPF leads to names that give nothing",
    why=(
        "After two of them receivers may stop and treat the record as broken. They are left from services "
        "that are no longer used."
    ),
    remedy="Take these mechanisms out of the record.",
    standard="RFC 7208 s4.6.4",
    after=("spf-broken",),
)
def spf_void_lookups(visit: Visit) -> Iterator[Occurrence]:
    most = max((each.void for each in _records(visit).senders.values()), default=0)
    if most > MOST_VOID:
        yield Occurrence(f"{name_text(visit.domain)}: {most} of them")


@finding(
    "dmarc-missing", Severity.NOTICE, "No DMARC record",
    why="Large receivers want one of whoever sends much; without it the domain is not told who sends in its name.",
    remedy="Add a TXT record at _dmarc, to begin with `v=DMARC1; p=none; rua=mailto:…`.",
    standard="RFC 7489 s6.1",
)  # fmt: skip
def dmarc_missing(visit: Visit) -> Iterator[Occurrence]:
    records = _records(visit)
    if records.mail and records.dmarc is not None and not records.dmarc:
        yield Occurrence(f"_dmarc.{name_text(visit.domain)}: none")


@finding(
    "dmarc-several", Severity.WARNING, "Several DMARC records",
    why="With two of them there is no policy at all.",
    remedy="Make one of them.",
    standard="RFC 7489 s6.6.3",
)  # fmt: skip
def dmarc_several(visit: Visit) -> Iterator[Occurrence]:
    records = _records(visit)
    if records.dmarc is not None and len(records.dmarc) > 1:
        yield Occurrence(f"_dmarc.{name_text(visit.domain)}: {len(records.dmarc)} of them")


@finding(
    "mail-policy-broken",
    Severity.ERROR,
    "The policy for bringing mail (MTA-STS) does not hold",
    why=(
        "Senders that keep to it bring no mail where the policy wants other servers; where it cannot be had "
        "they go on with the last one."
    ),
    remedy=(
        "Put the present mail servers into the policy (https://mta-sts.DOMAIN/.well-known/mta-sts.txt), "
        "and another id into the record."
    ),
    standard="RFC 8461 s4",
)
def mail_policy_broken(visit: Visit) -> Iterator[Occurrence]:
    policy = _records(visit).policy
    if policy is None:
        return
    if policy.trouble:
        yield Occurrence(f"mta-sts.{name_text(visit.domain)}: {policy.trouble}")
        return
    fields = [
        (key.strip().lower(), value.strip().lower())
        for key, _, value in (line.partition(":") for line in policy.text.splitlines())
    ]
    patterns = [value for key, value in fields if key == "mx"]
    if dict(fields).get("mode") != "none":
        for spot in visit.spots:
            host = name_text(spot.name)
            fits = any(
                host == each or (each.startswith("*.") and host.partition(".")[2] == each[2:]) for each in patterns
            )
            if spot.protocol == Protocol.SMTP and not fits:
                yield Occurrence(f"{host} is not among {', '.join(patterns) or 'no mail servers at all'}", (), host)


@finding(
    "mail-record-left-behind",
    Severity.ERROR,
    "A record that mail or certificates need did not come along",
    why=(
        "Nobody sees it missing until mail is refused, or a certificate ends: DKIM selectors and the like "
        "stand at names that no list has."
    ),
    remedy="Bring it; `legatum compare LEFT RIGHT --domain DOMAIN` shows what else did not come along.",
    standard="RFC 6376 s3.6.2",
)
def mail_record_left_behind(visit: Visit) -> Iterator[Occurrence]:
    records = _records(visit)
    for key, before in records.before.items():
        if key in records.now and records.now[key] is None:
            what = next((word for label, word in _KEPT.items() if key[0].find(label) >= 0), "mail")
            said = rdata_texts(before)[0]
            shown = said if len(said) < 60 else f"{said[:56]} …"
            yield Occurrence(f"{name_text(key[0])} {type_text(key[1])} ({what}): it was {shown}", (), name_text(key[0]))


@finding(
    "mail-record-changed", Severity.NOTICE, "A record that mail needs is not what it was before",
    why="It may be meant. If not, mail goes elsewhere, or is believed no longer.",
    remedy="Compare the two: `legatum compare LEFT RIGHT --domain DOMAIN`; what is not meant, put back.",
    standard="RFC 6376 s3.6.2",
)  # fmt: skip
def mail_record_changed(visit: Visit) -> Iterator[Occurrence]:
    records = _records(visit)
    for key, before in records.before.items():
        now = records.now.get(key)
        if now is not None and _matter(visit.domain, now) != _matter(visit.domain, before):
            yield Occurrence(f"{name_text(key[0])} {type_text(key[1])}", (), name_text(key[0]))


@finding(
    "reverse-missing", Severity.WARNING, "A mail server's address has no name",
    why="Many receivers refuse mail from an address without one; hosting networks are refused first.",
    remedy="Have whoever the address is from set its reverse name (PTR) to the mail server's name.",
    standard="RFC 1912 s2.1",
)  # fmt: skip
def reverse_missing(visit: Visit) -> Iterator[Occurrence]:
    for each in _reverse(visit, "mail server"):
        if not each.names:
            yield Occurrence(f"{each.address}, {name_text(each.host)}: no name", (), each.address)


@finding(
    "reverse-disagrees",
    Severity.WARNING,
    "The name of a mail server's address leads elsewhere",
    why=(
        "Receivers look up the address, then the name they get: where that does not lead back, they take the "
        "server for a made-up one."
    ),
    remedy="Have the reverse name set to one that has this address, best to the mail server's own.",
    standard="RFC 8601 s2.7.3",
)
def reverse_disagrees(visit: Visit) -> Iterator[Occurrence]:
    for each in _reverse(visit, "mail server"):
        if each.names and not any(each.address in back for back in each.names.values()):
            names = ", ".join(
                f"{name_text(name)} ({', '.join(back) or 'no address'})" for name, back in each.names.items()
            )
            yield Occurrence(f"{each.address}, {name_text(each.host)}: {names}", (), each.address)


@finding(
    "name-server-reverse", Severity.NOTICE, "A name server's address and its name do not agree",
    why="Some registries and receivers look at it; to people who look into a fault it leads astray.",
    remedy="Have the reverse name set to the name server's.",
    standard="RFC 1912 s2.1",
)  # fmt: skip
def name_server_reverse(visit: Visit) -> Iterator[Occurrence]:
    for each in _reverse(visit, "name server"):
        if not any(each.address in back for back in each.names.values()):
            yield Occurrence(
                f"{each.address}, {name_text(each.host)}: {', '.join(map(name_text, each.names)) or 'no name'}",
                (),
                each.address,
            )


@finding(
    "mail-host-name", Severity.NOTICE, "A mail server calls itself by a name that does not lead to it",
    why="Receivers compare the name in its greeting with its address when it sends.",
    remedy="Set the server's own host name to one that has its address, or give that name the address.",
    standard="RFC 5321 s4.1.4",
)  # fmt: skip
def mail_host_name(visit: Visit) -> Iterator[Occurrence]:
    known = {name_text(name): addresses for name, addresses in _records(visit).addresses.items()}
    for each in visit.seen:
        if each.spot.protocol == Protocol.SMTP and isinstance(each.what, MailSeen) and not each.new:
            said = each.what.banner.split()[0].rstrip(".").lower() if each.what.banner.split() else ""
            if re.fullmatch(r"[a-z0-9-]+(\.[a-z0-9-]+)+", said) and said in known and each.address not in known[said]:
                yield Occurrence(f"{each.where}: {said} ({', '.join(known[said]) or 'no address'})", (), each.where)


def _matter(domain: Name, rrset: RRset) -> tuple[object, ...]:
    """What of it mail goes by: of the domain's texts, the senders."""
    return tuple(spf_texts(rrset)) if (rrset.name, rrset.rtype) == (domain, TXT) else rrset.rdatas


def _reverse(visit: Visit, role: str) -> Iterator[Reverse]:
    for each in _records(visit).reverse:
        if each.role == role and not each.why:
            yield each


def _records(visit: Visit) -> NameRecords:
    return visit.records or NameRecords()
