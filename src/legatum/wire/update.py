"""Dynamic updates (RFC 2136): from what a zone holds and what it should hold to the records of an UPDATE message.

Servers pass over some updates without a word, so the order here is the one that all of them carry out:

* a changed RRset is deleted and added again in one message - adding alone leaves the TTL as it was on some;
* deleting *all* NS records at the apex is ignored, and so is deleting the last one: the new ones are added first, then
  each old one is deleted by value;
* the SOA goes last, with a serial that is higher than the present one, else it is ignored.

A change too large for one message is split between names, never inside one: no name is ever without what it had and
what it is to have. Each message is on condition of the SOA that the one before it left; where a server does not honour
that, on condition of the RRsets that it changes.
"""

from collections.abc import Iterable, Iterator
from itertools import groupby
from typing import NamedTuple

from legatum.core.records.name import Name
from legatum.core.records.rrset import RRset
from legatum.core.records.rrtype import ANY, CNAME, DNSKEY, NS, SOA
from legatum.core.records.soa import next_serial, parse_soa, serial_is_newer
from legatum.core.zones.zone import Zone
from legatum.wire.message import ANY_CLASS, IN, NONE, UPDATE, Message, Question, Record

_LARGEST = 60_000  # octets of a message: TSIG and the length of the whole must still fit into 65,535


class Part(NamedTuple):
    """What one message carries: a change of some names, and of the SOA with it. ``before``: the SOA data that it
    finds."""

    before: bytes
    changes: tuple[Record, ...]

    @property
    def keys(self) -> tuple[tuple[Name, int], ...]:
        """Every name and type that it changes, the SOA aside."""
        return tuple(dict.fromkeys((record.name, record.rtype) for record in self.changes if record.rtype != SOA))


def update_parts(zone: Zone, wanted: Zone, largest: int = _LARGEST) -> list[Part]:
    """The change in one part, or in as many as it takes. Where there are several, each raises the serial by one, so the
    last one may have to be higher than that of ``wanted``.
    """
    records = update_records(zone, wanted)
    soa = zone.soa_rrset.rdatas[0]
    bundles = list(_bundles(records[:-1] if zone.soa_rrset != wanted.soa_rrset else records, largest))
    if len(bundles) < 2:
        return [Part(soa, records)]
    parts, ttl = [], wanted.soa_rrset.ttl
    for number, bundle in enumerate(bundles, 1):
        serial = next_serial(parse_soa(soa).serial)
        if number == len(bundles) and serial_is_newer(wanted.soa.serial, serial):
            serial = wanted.soa.serial
        following = wanted.soa._replace(serial=serial).rdata()
        parts.append(Part(soa, (*bundle, _add(zone.origin, SOA, ttl, following))))
        soa = following
    return parts


def on_soa(zone: Zone, part: Part, ident: int) -> Message:
    """The UPDATE on condition that the zone's SOA is still the one before the part (RFC 2136 s2.4.2): nothing at all
    has changed."""
    return _message(zone, ident, (Record(zone.origin, SOA, IN, 0, part.before),), part.changes)


def on_sets(zone: Zone, part: Part, ident: int) -> Message:
    """The UPDATE on condition that every RRset that it changes is still as ``zone`` has it, and that those which
    ``zone`` does not have are not there (RFC 2136 s2.4.2, s2.4.3). Where nothing but the SOA changes, the NS set at the
    apex stands for the zone."""
    conditions: list[Record] = []
    for name, rtype in part.keys or ((zone.origin, NS),):
        present = zone.get(name, rtype)
        if present is None:
            conditions.append(Record(name, rtype, NONE, 0, b""))
        else:
            conditions += [Record(name, rtype, IN, 0, rdata) for rdata in present.rdatas]
    return _message(zone, ident, tuple(conditions), part.changes)


def _message(zone: Zone, ident: int, conditions: tuple[Record, ...], changes: tuple[Record, ...]) -> Message:
    return Message(ident, UPDATE << 11, 0, (Question(zone.origin, SOA),), conditions, changes)


def _bundles(records: tuple[Record, ...], largest: int) -> Iterator[list[Record]]:
    """Records in bundles of about ``largest`` octets; all of one name in one bundle, deletions first as they stood."""
    part, size = list[Record](), 0
    for _, each in groupby(sorted(records, key=lambda record: record.name), key=lambda record: record.name):
        bundle = list(each)
        octets = sum(len(record.name) + len(record.rdata) + 10 for record in bundle)
        if part and size + octets > largest:
            yield part
            part, size = [], 0
        part += bundle
        size += octets
    if part:
        yield part


def update_records(zone: Zone, wanted: Zone) -> tuple[Record, ...]:
    """The update section: what is to be deleted and added, in an order that leaves no name empty and no alias beside
    other data."""
    apex_ns, soa = (zone.origin, NS), (zone.origin, SOA)
    found: list[Record] = []
    changed = [
        key
        for key in sorted(zone.keys | wanted.keys)
        if zone.get(*key) != wanted.get(*key) and key not in (apex_ns, soa)
    ]
    found += [Record(name, rtype, ANY_CLASS, 0, b"") for name, rtype in changed if zone.get(name, rtype)]
    for key in changed:
        found += _added(wanted.get(*key))
    if zone.apex_ns != wanted.apex_ns:
        found += _apex_ns(zone.apex_ns, wanted.apex_ns)
    if zone.soa_rrset != wanted.soa_rrset:
        found += _added(wanted.soa_rrset)
    return tuple(found)


def _apex_ns(present: RRset | None, wanted: RRset | None) -> list[Record]:
    if wanted is None:
        return []
    old = present.rdatas if present else ()
    ttl_changes = present is not None and present.ttl != wanted.ttl
    again = [rdata for rdata in old if rdata in wanted.rdatas] if ttl_changes else []
    found = [_add(wanted.name, NS, wanted.ttl, rdata) for rdata in wanted.rdatas if rdata not in old]
    for rdata in again:
        found += [_delete(wanted.name, NS, rdata), _add(wanted.name, NS, wanted.ttl, rdata)]
    return found + [_delete(wanted.name, NS, rdata) for rdata in old if rdata not in wanted.rdatas]


def _added(rrset: RRset | None) -> list[Record]:
    return [_add(rrset.name, rrset.rtype, rrset.ttl, rdata) for rdata in rrset.rdatas] if rrset else []


def key_changes(origin: Name, ttl: int, come: Iterable[bytes], go: Iterable[bytes]) -> tuple[Record, ...]:
    """Single records of a key set put in and taken out, the rest left to whoever signs (RFC 2136 s2.5.1 and s2.5.4)."""
    return (*(_add(origin, DNSKEY, ttl, each) for each in come), *(_delete(origin, DNSKEY, each) for each in go))


def _add(name: Name, rtype: int, ttl: int, rdata: bytes) -> Record:
    return Record(name, rtype, IN, ttl, rdata)


def _delete(name: Name, rtype: int, rdata: bytes) -> Record:
    return Record(name, rtype, NONE, 0, rdata)


def distinct_changes(changes: Iterable[Record]) -> tuple[Record, ...]:
    """One of the changes for each name and type, the SOA aside."""
    found = {(record.name, record.rtype): record for record in changes if record.rtype != SOA}
    return tuple(found.values())


def without_effect(zone: Zone, record: Record) -> Record:
    """A change of the same name and type that leaves the zone as it is: what is there is added again, or what is not is
    deleted.

    Servers judge whether somebody may change a name and type before they look at what is there (RFC 2136 s3.3), so it
    is refused when the real change is.
    """
    present = zone.get(record.name, record.rtype)
    if present is not None:
        return _add(record.name, record.rtype, present.ttl, present.rdatas[0])
    return _delete(record.name, record.rtype, record.rdata)


def replace_changes(message: Message, ident: int, changes: tuple[Record, ...]) -> Message:
    """The same message, on the same condition, with other changes."""
    return Message(ident, message.flags, message.rcode, message.questions, message.answer, changes)


_NXDOMAIN, _YXDOMAIN, _YXRRSET, _NXRRSET = 3, 6, 7, 8


def unmet(zone: Zone, conditions: Iterable[Record]) -> int:
    """The code by which a server refuses an update for its prerequisites (RFC 2136 s3.2): names in use or not, RRsets
    that are exactly so, that exist, or that do not; 0 where all hold."""
    exactly: dict[tuple[Name, int], set[bytes]] = {}
    for record in conditions:
        key, wanted = (record.name, record.rtype), record.rclass == ANY_CLASS
        if record.rclass == IN:
            exactly.setdefault(key, set()).add(record.rdata)
        elif record.rtype == ANY and bool(zone.at(record.name)) != wanted:
            return _NXDOMAIN if wanted else _YXDOMAIN
        elif record.rtype != ANY and (zone.get(*key) is not None) != wanted:
            return _NXRRSET if wanted else _YXRRSET
    same = (
        (present := zone.get(*key)) is not None and set(present.rdatas) == rdatas for key, rdatas in exactly.items()
    )
    return 0 if all(same) else _NXRRSET


def apply_update(zone: Zone, records: tuple[Record, ...]) -> Zone:
    """What a server makes of an update section (RFC 2136 s3.4.2), with the silent exceptions that servers make."""
    for record in records:
        zone = _applied(zone, record)
    return zone


def _applied(zone: Zone, record: Record) -> Zone:
    key = (record.name, record.rtype)
    present = zone.get(*key)
    if record.rclass == ANY_CLASS:
        keys = [key] if record.rtype != ANY else [(each.name, each.rtype) for each in zone.at(record.name)]
        return zone.without(each for each in keys if not (each[0] == zone.origin and each[1] in (NS, SOA)))
    if record.rclass == NONE:
        if (
            present is None
            or key == (zone.origin, SOA)
            or (key == (zone.origin, NS) and present.rdatas == (record.rdata,))
        ):
            return zone
        left = tuple(rdata for rdata in present.rdatas if rdata != record.rdata)
        return zone.with_rrsets([present._replace(rdatas=left)]) if left else zone.without([key])
    if record.rtype == SOA:
        newer = serial_is_newer(parse_soa(record.rdata).serial, zone.soa.serial)
        return zone.with_rrsets([RRset(record.name, SOA, record.ttl, (record.rdata,))]) if newer else zone
    if _alias_conflict(zone, record):
        return zone
    rdatas = {record.rdata, *(present.rdatas if present and record.rtype != CNAME else ())}
    return zone.with_rrsets([RRset(record.name, record.rtype, record.ttl, tuple(sorted(rdatas)))])


def _alias_conflict(zone: Zone, record: Record) -> bool:
    others = {each.rtype for each in zone.at(record.name) if each.rtype != record.rtype}
    return (record.rtype == CNAME and bool(others)) or (record.rtype != CNAME and CNAME in others)
