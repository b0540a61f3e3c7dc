"""A zone's contents with the indexes that checks need, made in one pass."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from typing import NamedTuple

from legatum.core.records.name import Name, ancestors, below, is_under, parent_of
from legatum.core.records.rrset import RRset
from legatum.core.records.rrtype import AAAA, CNAME, DNAME, NS, NSEC, NSEC3, RRSIG, A
from legatum.core.zones.zone import Zone

_TARGET_TYPES = {2: 0, 5: 0, 15: 2, 33: 6, 39: 0}  # NS, CNAME, MX, SRV, DNAME → where in their data the name begins, which ends it
_LONGEST_CHAIN = 8
_new = tuple.__new__  # what a named tuple's own constructor does, without the call in between
_PROOFS = (RRSIG, NSEC, NSEC3, 51)


class Target(NamedTuple):
    """A name that a record leads to. ``rtype``: of the record."""

    owner: Name
    rtype: int
    name: Name


@dataclass(frozen=True, eq=False)
class ZoneContents:
    """``home``: special address ranges that count as public here. ``uneven``, ``repeated``: as the master file had them, see
    :class:`~legatum.core.zones.masterfile.Reading`. ``other``: the same zone elsewhere, to hold names against."""

    zone: Zone
    home: tuple[str, ...] = ()
    uneven: Mapping[tuple[Name, int], tuple[int, ...]] = field(default_factory=dict)
    repeated: tuple[tuple[Name, int], ...] = ()
    other: Zone | None = None
    by_type: dict[int, list[RRset]] = field(init=False, default_factory=dict)
    names: set[Name] = field(init=False, default_factory=set)
    cuts: set[Name] = field(init=False, default_factory=set)
    _targets: dict[int, list[Target]] = field(init=False, default_factory=dict)

    def __post_init__(self) -> None:
        origin, inner = self.zone.origin, set()
        for rrset in self.zone.unsorted:
            self.by_type.setdefault(rrset.rtype, []).append(rrset)
            if rrset.rtype not in _PROOFS:
                inner.add(rrset.name)
        self.cuts.update(rrset.name for rrset in self.by_type.get(NS, ()) if rrset.name != origin)
        self.names.update(inner)
        for name in inner:
            # Names between a name and the apex exist, though they hold nothing (RFC 8020 s2).
            while name != origin and (name := parent_of(name)) not in self.names and is_under(name, origin):
                self.names.add(name)

    @property
    def origin(self) -> Name:
        return self.zone.origin

    def of(self, *rtypes: int) -> Iterator[RRset]:
        for rtype in rtypes:
            yield from self.by_type.get(rtype, ())

    def is_inside(self, name: Name) -> bool:
        """This zone alone says what is at the name: it is in the zone and not handed on."""
        if not is_under(name, self.origin):
            return False
        return not self.cuts or not any(each in self.cuts for each in ancestors(name)[: -len(ancestors(self.origin)) or None])

    def cut_of(self, name: Name) -> Name | None:
        """The sub-delegation at or above a name; of several the uppermost, which hides the others."""
        return next((each for each in reversed(ancestors(name)) if each in self.cuts), None) if self.cuts else None

    def targets(self, *rtypes: int) -> Iterator[Target]:
        """Where records lead to, those of the types given or of all."""
        for rtype in rtypes or _TARGET_TYPES:
            found = self._targets.get(rtype)
            if found is None:
                at = _TARGET_TYPES[rtype]
                found = self._targets[rtype] = [
                    _new(Target, (rrset.name, rtype, rdata[at:])) for rrset in self.of(rtype) for rdata in rrset.rdatas
                ]
            yield from found

    def has_address(self, name: Name) -> bool:
        return self.zone.get(name, A) is not None or self.zone.get(name, AAAA) is not None

    def end_of(self, name: Name) -> tuple[Name, int]:
        """Where a chain of aliases inside the zone ends, and after how many; more than eight is a circle or as bad."""
        for count in range(_LONGEST_CHAIN + 1):
            alias = self.zone.get(name, CNAME)
            if alias is None:
                return name, count
            name = Name(alias.rdatas[0])
        return name, _LONGEST_CHAIN + 1

    def leads_nowhere(self, name: Name) -> bool:
        """This zone alone could say what the name's addresses are, and there are none."""
        name, count = self.end_of(name)
        if count > _LONGEST_CHAIN:
            return True
        return self.is_inside(name) and not self.has_address(name) and not self.is_made_up(name)

    def is_made_up(self, name: Name) -> bool:
        """A wildcard or DNAME answers for it."""
        if name in self.names:
            return False
        for each in ancestors(name)[1:]:
            if self.zone.get(each, DNAME) is not None:
                return True
            if each in self.names:
                star = below("*", each)
                return self.has_address(star) or self.zone.get(star, CNAME) is not None
            if each == self.origin:
                break
        return False
