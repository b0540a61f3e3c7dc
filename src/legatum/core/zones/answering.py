"""What an authoritative server that serves given zones must answer (RFC 1034 s4.3.2, RFC 4592 for wildcards).

Used by the practice world to answer with, and to foretell what a zone will answer once it is published.
"""

from collections.abc import Mapping
from dataclasses import dataclass

from legatum.core.records.name import MAX_NAME, Name, ancestors, below, is_under, parent_of
from legatum.core.records.rrset import RRset, rrset, targets
from legatum.core.records.rrtype import AAAA, ANY, CNAME, DNAME, DS, NS, A
from legatum.core.records.soa import negative_ttl
from legatum.core.zones.zone import Zone

NOERROR, FORMERR, SERVFAIL, NXDOMAIN, NOTIMP, REFUSED, YXDOMAIN = 0, 1, 2, 3, 4, 5, 6
_MAX_CHAIN = 8


@dataclass(frozen=True, slots=True)
class Answer:
    """The sections of an answer. ``authoritative`` is the AA flag; a referral has NS in ``authority`` and no AA."""

    rcode: int
    authoritative: bool = False
    answer: tuple[RRset, ...] = ()
    authority: tuple[RRset, ...] = ()
    additional: tuple[RRset, ...] = ()


class ServedZone:
    """A zone with the indexes that answering needs: every name that exists, empty ones too, and the cuts."""

    def __init__(self, zone: Zone) -> None:
        self.zone = zone
        self.cuts = {each.name for each in zone.unsorted if each.rtype == NS and each.name != zone.origin}
        self.existing: set[Name] = set()
        for name in zone.names:
            while name not in self.existing and is_under(name, zone.origin):
                self.existing.add(name)
                name = parent_of(name)


def zone_for(zones: Mapping[Name, ServedZone], name: Name, rtype: int) -> ServedZone | None:
    """The zone that must answer: the closest enclosing one; for DS at an apex its parent where that is served too (RFC
    4035 s3.1.4.1)."""
    chain = ancestors(name)
    if rtype == DS and len(chain) > 1 and any(each in zones for each in chain[1:]):
        chain = chain[1:]
    return next((zones[each] for each in chain if each in zones), None)


def answer_from(zones: Mapping[Name, ServedZone], name: Name, rtype: int) -> Answer:
    """The answer to one question, aliases followed as far as the same server knows."""
    served = zone_for(zones, name, rtype)
    if served is None:
        return Answer(REFUSED)
    found: list[RRset] = []
    for _ in range(_MAX_CHAIN):
        step = _within(served, name, rtype)
        found += step.answer
        alias = next((each for each in step.answer if each.rtype == CNAME and rtype not in (CNAME, ANY)), None)
        following = zone_for(zones, targets(alias)[0], rtype) if alias else None
        if alias is None or following is None:
            break
        name, served = targets(alias)[0], following
    authoritative = step.authoritative or bool(found)
    return Answer(step.rcode, authoritative, tuple(found), step.authority, step.additional)


def _within(served: ServedZone, name: Name, rtype: int) -> Answer:
    zone = served.zone
    cut = next((each for each in ancestors(name) if each in served.cuts), None)
    if cut is not None and not (cut == name and rtype == DS):
        ns = zone.get(cut, NS)
        assert ns is not None
        return Answer(NOERROR, False, (), (ns,), _glue(zone, ns))
    redirected = next(
        (dname for each in ancestors(name)[1:] if is_under(each, zone.origin) and (dname := zone.get(each, DNAME))),
        None,
    )
    if redirected is not None:
        return _redirected(redirected, name)
    owner, exists = name, name in served.existing
    if not exists:
        encloser = next(each for each in ancestors(name) if each in served.existing)
        owner = below("*", encloser)
    present = [each._replace(name=name) for each in zone.at(owner)]
    if not exists and not present:
        return Answer(NXDOMAIN, True, (), (_denial(zone),))
    matching = [each for each in present if rtype in (each.rtype, ANY)]
    if not matching and rtype != DS:
        matching = [each for each in present if each.rtype == CNAME]
    if not matching:
        return Answer(NOERROR, True, (), (_denial(zone),))
    apex = zone.apex_ns
    authority = (apex,) if apex and not (name == zone.origin and rtype == NS) else ()
    glue = _glue(zone, apex) if apex else ()
    return Answer(NOERROR, True, tuple(matching), authority, glue)


def _redirected(dname: RRset, name: Name) -> Answer:
    """A DNAME above, and the alias that it gives rise to (RFC 6672 s3.1); what becomes too long does not exist
    (s2.4)."""
    renamed = Name(name[: len(name) - len(dname.name)] + targets(dname)[0])
    if len(renamed) > MAX_NAME:
        return Answer(YXDOMAIN, True, (dname,))
    return Answer(NOERROR, True, (dname, rrset(name, CNAME, dname.ttl, [renamed])))


def _denial(zone: Zone) -> RRset:
    """The SOA as it stands in a negative answer, with the negative TTL (RFC 2308 s3)."""
    soa = zone.soa_rrset
    return soa.with_ttl(negative_ttl(soa))


def _glue(zone: Zone, ns: RRset) -> tuple[RRset, ...]:
    found = (zone.get(target, rtype) for target in targets(ns) for rtype in (A, AAAA))
    return tuple(each for each in found if each)
