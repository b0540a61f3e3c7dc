"""A zone's contents with the indexes that checks need, made in one pass."""

from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import NamedTuple

from legatum.core.records.name import Name, ancestors, below, is_under, parent_of
from legatum.core.records.rrset import RRset
from legatum.core.records.rrtype import AAAA, CNAME, DNAME, NS, NSEC, NSEC3, RRSIG, TXT, A
from legatum.core.zones.zone import Zone

_TARGET_TYPES = {
    2: 0,
    5: 0,
    15: 2,
    33: 6,
    39: 0,
}  # NS, CNAME, MX, SRV, DNAME → where in their data the name begins, which ends it
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
    """``home``: special address ranges that count as public here. ``uneven``, ``repeated``: as the master file had
    them, see :class:`~legatum.core.zones.masterfile.Reading`. ``other``: the same zone elsewhere, to hold names
    against."""

    zone: Zone
    home: tuple[str, ...] = ()
    uneven: Mapping[tuple[Name, int], tuple[int, ...]] = field(default_factory=dict)
    repeated: tuple[tuple[Name, int], ...] = ()
    other: Zone | None = None
    by_type: dict[int, list[RRset]] = field(init=False, default_factory=dict)
    names: set[Name] = field(init=False, default_factory=set)
    cuts: set[Name] = field(init=False, default_factory=set)
    aliases: dict[Name, Name] = field(init=False, default_factory=dict)
    addressed: set[Name] = field(init=False, default_factory=set)
    _targets: dict[int, list[Target]] = field(init=False, default_factory=dict)

    def __post_init__(self) -> None:
        origin, zone = self.zone.origin, self.zone
        by_type = defaultdict[int, list[RRset]](list)
        for rrset in zone.unsorted:
            by_type[rrset[1]].append(rrset)
        self.by_type.update(by_type)
        if self.by_type.keys().isdisjoint(_PROOFS):
            inner = zone.names
        else:
            inner = {name for name in zone.names if any(each.rtype not in _PROOFS for each in zone.at(name))}
        self.cuts.update(rrset.name for rrset in self.of(NS) if rrset.name != origin)
        self.aliases.update((rrset.name, Name(rrset.rdatas[0])) for rrset in self.of(CNAME))
        self.addressed.update(rrset.name for rrset in self.of(A, AAAA))
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
        return not self.cuts or not any(
            each in self.cuts for each in ancestors(name)[: -len(ancestors(self.origin)) or None]
        )

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

    @cached_property
    def texts(self) -> Mapping[tuple[bytes, ...], Sequence[Name]]:
        """The names of each TXT set: of hosting much is alike, so that what is said of a text need not be worked out
        for each name."""
        found = defaultdict[tuple[bytes, ...], list[Name]](list)
        for rrset in self.of(TXT):
            found[rrset.rdatas].append(rrset.name)
        return found

    def end_of(self, name: Name) -> tuple[Name, int]:
        """Where a chain of aliases inside the zone ends, and after how many; more than eight is a circle or as bad."""
        count = 0
        while count <= _LONGEST_CHAIN and name in self.aliases:
            name, count = self.aliases[name], count + 1
        return name, count

    def leads_nowhere(self, name: Name) -> bool:
        """This zone alone could say what the name's addresses are, and there are none."""
        name, count = self.end_of(name)
        if count > _LONGEST_CHAIN:
            return True
        return self.is_inside(name) and name not in self.addressed and not self.is_made_up(name)

    def is_made_up(self, name: Name) -> bool:
        """A wildcard or DNAME answers for it."""
        if name in self.names:
            return False
        for each in ancestors(name)[1:]:
            if self.zone.get(each, DNAME) is not None:
                return True
            if each in self.names:
                star = below("*", each)
                return star in self.addressed or star in self.aliases
            if each == self.origin:
                break
        return False
