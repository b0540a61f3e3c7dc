"""What was served with which TTL, by whom names were handed on, and which name servers were seen with their address: kept for the domain,
whichever move or command saw it, so that every plan counts it."""

from collections.abc import Collection, Iterable
from dataclasses import replace
from typing import NamedTuple

from legatum.core.dnssec.chain import Chain, State, broken_since
from legatum.core.dnssec.signature import parse_signature
from legatum.core.findings.finding import Finding
from legatum.core.moves.place import PARENT
from legatum.core.observation.picture import Picture
from legatum.core.records.name import Name, absolute_text, is_under
from legatum.core.records.presentation import rdata_texts
from legatum.core.records.rrset import RRset, rrset, targets
from legatum.core.records.rrtype import DS, NS, A
from legatum.journal.journal import Seen, Surveyed
from legatum.services.provider import server_names
from legatum.work.outside import Outside

_LONGEST = 2000  # characters of data that are remembered of a set
SIGNING = "the chain of trust"  # the place of entries that say in which state it was


def note_served(outside: Outside, domain: Name, sets: Iterable[RRset | None], place: str = "", at: float | None = None) -> None:
    """``place``: the parent, for a delegation; ``at``: now, if not given."""
    served = [_entry(each, place) for each in sets if each is not None]
    outside.journal.remember(domain, served, outside.clock.now() if at is None else at)


class Note(NamedTuple):
    """What is to be kept of a look at a domain. ``surveyed``: what it came to, None where it was not judged."""

    domain: Name
    seen: list[Seen]
    at: float
    surveyed: Surveyed | None


def note_of(picture: Picture, findings: Iterable[Finding] | None, ours: Collection[Name]) -> Note | None:
    """None for a domain that the house does not look after. ``ours``: the name servers of its providers (:func:`our_servers`)."""
    if not any(host in ours for host in (*picture.delegation, *picture.own_ns)):
        return None
    slugs = None if findings is None else {each.kind.slug: str(each.kind.severity) for each in findings}
    surveyed = None if slugs is None else Surveyed(picture.domain, picture.at, slugs, _signed_until(picture))
    return Note(picture.domain, _seen(picture), picture.at, surveyed)


def keep_notes(outside: Outside, notes: Collection[Note]) -> None:
    if notes:
        outside.journal.remember_many((each.domain, each.seen, each.at) for each in notes)
        outside.journal.surveyed([each.surveyed for each in notes if each.surveyed is not None])


def _signed_until(picture: Picture) -> float | None:
    ends = [
        one.expires
        for view in picture.serving
        for each in view.signatures.values()
        for rdata in each.rdatas
        if (one := parse_signature(rdata)) is not None
    ]
    return min(ends, default=None)


def our_servers(outside: Outside) -> set[Name]:
    """The name servers of the providers of the settings."""
    sections = (*outside.settings.providers.values(), *outside.settings.secondaries.values())
    return {host for section in sections for host in server_names(section.servers)}


def _seen(picture: Picture) -> list[Seen]:
    """What the domain's own servers gave. Names elsewhere, to which mail or www lead, come out of resolvers, with what is left of a TTL."""
    above, own = list[RRset](), [each for each in picture.contents.values() if each is not None and is_under(each.name, picture.domain)]
    if picture.delegation and picture.parent_ttl is not None:
        above.append(rrset(picture.domain, NS, picture.parent_ttl, picture.delegation))
    if picture.apex_ttl is not None:
        own.append(rrset(picture.domain, NS, picture.apex_ttl, picture.own_ns))
    return [_entry(each, PARENT) for each in above] + [_entry(each) for each in own]


def _entry(each: RRset, place: str = "") -> Seen:
    data = " ".join(map(absolute_text, targets(each))) if each.rtype == NS else " | ".join(rdata_texts(each))[:_LONGEST]
    return Seen(place, each.name, each.rtype, each.ttl, data)


def note_chain(outside: Outside, chain: Chain) -> Chain:
    """In which state the domain's own link was seen; with the chain, since when it is broken."""
    link = chain.links[-1]
    if link.state != State.UNKNOWN:
        outside.journal.remember(link.zone, [Seen(SIGNING, link.zone, DS, 0, link.state)], outside.clock.now())
    seen = [(each.data, each.first, each.last) for each in outside.journal.memory(link.zone) if each.place == SIGNING]
    return replace(chain, since=broken_since(seen))


def note_hosts(outside: Outside, hosts: Iterable[Name], at: float) -> dict[Name, float]:
    """These name servers were seen with their addresses; since when the house knows of that, for each."""
    since = {}
    for host in hosts:
        outside.journal.remember(host, [Seen("", host, A, 0)], at)
        since[host] = min(each.first for each in outside.journal.memory(host) if each.name == host and each.rtype == A)
    return since


def known_since(outside: Outside, domain: Name, host: Name) -> float | None:
    """Since when a name of the domain is known to be there; None where nobody has looked."""
    return min((each.first for each in outside.journal.memory(domain) if each.name == host and each.place == ""), default=None)
