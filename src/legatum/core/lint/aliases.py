"""Aliases, and records that lead to names of the same zone."""

from collections.abc import Iterator

from legatum.core.findings.finding import Occurrence, Severity, finding
from legatum.core.lint.contents import ZoneContents
from legatum.core.records.name import ROOT, labels_of, name_text
from legatum.core.records.rrtype import CNAME, MX, NS, SRV, type_text

_DOTS = ("target-doubled-origin", "target-final-dot-missing")


@finding(
    "alias-in-circle", Severity.ERROR, "Aliases lead to each other in a circle",
    why="Nobody who asks for these names ever gets an answer.",
    remedy="Point one of them at a name with addresses.",
    standard="RFC 1034 s3.6.2",
)  # fmt: skip
def alias_in_circle(contents: ZoneContents) -> Iterator[Occurrence]:
    for alias in contents.of(CNAME):
        _, count = contents.end_of(alias.name)
        if count > 8:
            yield Occurrence(f"{name_text(alias.name)} never comes to an end", (), name_text(alias.name))


@finding(
    "alias-leads-nowhere", Severity.WARNING, "An alias leads to a name of this zone that does not exist",
    why="Whoever follows it gets nothing; after a move it is the sign of a record that was left behind.",
    remedy="Bring the target along, or take the alias out.",
    standard="RFC 1034 s3.6.2",
    after=("alias-in-circle", *_DOTS),
)  # fmt: skip
def alias_leads_nowhere(contents: ZoneContents) -> Iterator[Occurrence]:
    for target in contents.targets(CNAME):
        if (
            contents.is_inside(target.name)
            and target.name not in contents.names
            and not contents.is_made_up(target.name)
        ):
            yield Occurrence(f"{name_text(target.owner)} leads to {name_text(target.name)}", (), name_text(target.name))


@finding(
    "alias-chain-long", Severity.NOTICE, "An alias leads to an alias that leads to an alias",
    why="Every hop costs visitors a round trip and is one more record to go wrong; some resolvers give up.",
    remedy="Point the first one at the last name.",
    standard="RFC 1034 s5.2.2",
    after=("alias-in-circle",),
)  # fmt: skip
def alias_chain_long(contents: ZoneContents) -> Iterator[Occurrence]:
    for alias in contents.of(CNAME):
        end, count = contents.end_of(alias.name)
        if count > 2:
            yield Occurrence(f"{name_text(alias.name)}: {count} hops to {name_text(end)}", (), name_text(alias.name))


@finding(
    "ns-leads-to-alias", Severity.ERROR, "A name server's name is an alias in this zone",
    why="Name servers must be hosts with addresses of their own; many resolvers do not follow an alias here.",
    remedy="Use the name that the alias leads to, or give the name addresses.",
    standard="RFC 2181 s10.3",
)  # fmt: skip
def ns_leads_to_alias(contents: ZoneContents) -> Iterator[Occurrence]:
    yield from _to_alias(contents, NS)


@finding(
    "mail-leads-to-alias", Severity.WARNING, "A mail server's name is an alias in this zone",
    why="An MX record must name a host with addresses of its own; some mail servers refuse or loop.",
    remedy="Use the name that the alias leads to in the MX record.",
    standard="RFC 2181 s10.3",
)  # fmt: skip
def mail_leads_to_alias(contents: ZoneContents) -> Iterator[Occurrence]:
    yield from _to_alias(contents, MX)


@finding(
    "service-leads-to-alias", Severity.NOTICE, "A service's host is an alias in this zone",
    why="The host of an SRV record must have addresses of its own; some clients do not follow an alias.",
    remedy="Use the name that the alias leads to.",
    standard="RFC 2782",
)  # fmt: skip
def service_leads_to_alias(contents: ZoneContents) -> Iterator[Occurrence]:
    yield from _to_alias(contents, SRV)


@finding(
    "ns-leads-nowhere", Severity.ERROR, "A name server's name has no address in this zone",
    why="Resolvers cannot reach that server; where it is the only one, the domain or sub-domain is gone.",
    remedy="Add the addresses of that name, or take it out of the NS set.",
    standard="RFC 1912 s2.8",
    after=("ns-leads-to-alias", *_DOTS),
)  # fmt: skip
def ns_leads_nowhere(contents: ZoneContents) -> Iterator[Occurrence]:
    yield from _to_nothing(contents, NS)


@finding(
    "leads-to-address", Severity.ERROR, "A record leads to an address where a name belongs",
    why="An address written as a name is a name that nobody has: mail is not delivered, and the service is not found.",
    remedy="Name a host there, and give that host the address in an A or AAAA record.",
    standard="RFC 1035 s3.3.9",
)  # fmt: skip
def leads_to_address(contents: ZoneContents) -> Iterator[Occurrence]:
    for rtype in (MX, NS, SRV, CNAME):
        for target in contents.targets(rtype):
            if target.name[-2:-1].isdigit() and labels_of(target.name)[-1].isdigit():
                yield Occurrence(
                    f"{name_text(target.owner)} {type_text(rtype)} {name_text(target.name)}", (), name_text(target.name)
                )


@finding(
    "mail-leads-nowhere", Severity.ERROR, "A mail server's name has no address in this zone",
    why="Mail is delayed until the sender tries the next one, and lost where there is none.",
    remedy="Add the address of that name, or take it out of the MX set.",
    standard="RFC 1912 s2.5",
    after=("alias-in-circle", *_DOTS),
)  # fmt: skip
def mail_leads_nowhere(contents: ZoneContents) -> Iterator[Occurrence]:
    yield from _to_nothing(contents, MX)


@finding(
    "service-leads-nowhere", Severity.WARNING, "A service's host has no address in this zone",
    why="Clients that look the service up cannot reach it.",
    remedy="Add the address of that name, or take the record out.",
    standard="RFC 2782",
    after=("alias-in-circle", *_DOTS),
)  # fmt: skip
def service_leads_nowhere(contents: ZoneContents) -> Iterator[Occurrence]:
    yield from _to_nothing(contents, SRV)


def _to_alias(contents: ZoneContents, rtype: int) -> Iterator[Occurrence]:
    for target in contents.targets(rtype):
        if target.name in contents.aliases:
            yield Occurrence(
                f"{name_text(target.owner)} {type_text(rtype)} {name_text(target.name)}", (), name_text(target.name)
            )


def _to_nothing(contents: ZoneContents, rtype: int) -> Iterator[Occurrence]:
    for target in contents.targets(rtype):
        if target.name != ROOT and contents.leads_nowhere(target.name):
            yield Occurrence(
                f"{name_text(target.owner)} {type_text(rtype)} {name_text(target.name)}", (), name_text(target.name)
            )
