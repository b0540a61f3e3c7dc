"""Signatures and proofs of absence beside an answer, for who asks with DO (RFC 4035 s3.1)."""

from collections.abc import Iterable, Iterator, Mapping

from legatum.core.records.name import Name, ancestors, below, canonical_key
from legatum.core.records.rrset import RRset
from legatum.core.records.rrtype import DNSKEY, DS, NS, NSEC, RRSIG
from legatum.core.zones.answering import NXDOMAIN, Answer, ServedZone, zone_for
from legatum.core.zones.zone import Zone


def proven(zones: Mapping[Name, ServedZone], found: Answer, name: Name, rtype: int) -> Answer:
    """The same answer with what proves it, where the zone is signed."""
    served = zone_for(zones, name, rtype)
    if served is None or served.zone.get(served.zone.origin, DNSKEY) is None:
        return found
    zone = served.zone
    authority = [*found.authority, *_absence(served, found, name, rtype)]
    return Answer(
        found.rcode,
        found.authoritative,
        tuple(_with_signatures(zone, found.answer)),
        tuple(_with_signatures(zone, authority)),
        found.additional,
    )


def _with_signatures(zone: Zone, sets: Iterable[RRset]) -> Iterator[RRset]:
    for each in sets:
        yield each
        held = zone.get(_owner(zone, each.name), RRSIG)
        covering = tuple(data for data in (held.rdatas if held else ()) if data[:2] == each.rtype.to_bytes(2))
        if covering:
            yield RRset(each.name, RRSIG, each.ttl, covering)


def _owner(zone: Zone, name: Name) -> Name:
    """Where the data stand: at the name, or at the wildcard that it comes from."""
    if zone.at(name):
        return name
    return next((star for each in ancestors(name)[1:] if zone.at(star := below("*", each))), name)


def _absence(served: ServedZone, found: Answer, name: Name, rtype: int) -> list[RRset]:
    """NSEC records: at the name, around it, around the wildcard; a DS set, or that there is none, beside a referral."""
    zone = served.zone
    cut = next((each.name for each in found.authority if each.rtype == NS and each.name != zone.origin), None)
    if cut is not None and not found.authoritative:
        ds = zone.get(cut, DS)
        return [ds] if ds is not None else [each for each in [zone.get(cut, NSEC)] if each]
    if found.answer or not found.authoritative:
        return []
    wanted = [name]
    if found.rcode == NXDOMAIN:
        encloser = next(each for each in ancestors(name) if each in served.existing)
        wanted.append(below("*", encloser))
    return list({each.name: each for one in wanted if (each := _around(zone, one)) is not None}.values())


def _around(zone: Zone, name: Name) -> RRset | None:
    """The proof at the name, or the one that covers it."""
    if (there := zone.get(name, NSEC)) is not None:
        return there
    before = [each for each in zone.unsorted if each.rtype == NSEC and canonical_key(each.name) < canonical_key(name)]
    return max(before, key=lambda each: canonical_key(each.name), default=None)
