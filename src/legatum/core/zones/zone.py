"""A zone's contents: RRsets by name."""

from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence, Set
from itertools import chain

from legatum.core.records.name import Name, canonical_key, name_text
from legatum.core.records.rrset import RRset, rrset
from legatum.core.records.rrtype import NS, SOA
from legatum.core.records.soa import SoaFields, parse_soa

NS_TTL = 86400
"""Of the NS set of a zone that has none yet, in seconds."""
_USUAL_TTL = 3600  # of a zone that says nothing about it


class Zone:
    """An unchanging collection of RRsets at and below ``origin``. Changed copies come from :meth:`with_rrsets` and
    :meth:`without`."""

    __slots__ = ("_sets", "origin")

    def __init__(self, origin: Name, rrsets: Iterable[RRset]) -> None:
        """Of two RRsets of the same name and type the later one counts."""
        self.origin = origin
        self._sets: Mapping[Name, tuple[RRset, ...]] = _with({}, rrsets)

    @classmethod
    def of(cls, origin: Name, sets: Mapping[Name, tuple[RRset, ...]]) -> "Zone":
        """From RRsets that are by name already, and that nobody changes afterwards."""
        zone = cls(origin, ())
        zone._sets = sets
        return zone

    def __len__(self) -> int:
        return sum(map(len, self._sets.values()))

    def __iter__(self) -> Iterator[RRset]:
        """RRsets in canonical order of names, SOA first at the apex."""
        for name in sorted(self._sets, key=canonical_key):
            sets = self._sets[name]
            yield from sets if len(sets) == 1 else sorted(sets, key=lambda each: (each.rtype != SOA, each.rtype))

    def __eq__(self, other: object) -> bool:
        if not isinstance(other, Zone) or self.origin != other.origin or self._sets.keys() != other._sets.keys():
            return False
        return all(
            sets == other._sets[name] or set(sets) == set(other._sets[name]) for name, sets in self._sets.items()
        )

    def __hash__(self) -> int:
        return hash((self.origin, frozenset(self.unsorted)))

    def __repr__(self) -> str:
        return f"<zone {name_text(self.origin)}: {len(self)} RRsets>"

    def get(self, name: Name, rtype: int) -> RRset | None:
        for each in self._sets.get(name, ()):
            if each.rtype == rtype:
                return each
        return None

    def at(self, name: Name) -> tuple[RRset, ...]:
        """All RRsets of one name."""
        return self._sets.get(name, ())

    @property
    def unsorted(self) -> Iterable[RRset]:
        """All RRsets in no order that means anything: for a pass over a big zone."""
        return chain.from_iterable(self._sets.values())

    @property
    def keys(self) -> set[tuple[Name, int]]:
        return {(each.name, each.rtype) for each in self.unsorted}

    @property
    def names(self) -> Set[Name]:
        return self._sets.keys()

    @property
    def record_count(self) -> int:
        return sum(len(each.rdatas) for each in self.unsorted)

    @property
    def soa_rrset(self) -> RRset:
        """The SOA RRset. Raises ``KeyError`` for a zone without one."""
        soa = self.get(self.origin, SOA)
        if soa is None:
            raise KeyError(SOA)
        return soa

    @property
    def soa(self) -> SoaFields:
        return parse_soa(self.soa_rrset.rdatas[0])

    @property
    def apex_ns(self) -> RRset | None:
        return self.get(self.origin, NS)

    def usual_ttl(self, name: Name) -> int:
        """For new data: the least of what stands at the name, else what most of the zone has."""
        if beside := [each.ttl for each in self.at(name) if each.rtype != SOA]:
            return min(beside)
        usual = Counter(each.ttl for each in self.unsorted if each.rtype != SOA).most_common(1)
        return usual[0][0] if usual else _USUAL_TTL

    def with_rrsets(self, rrsets: Iterable[RRset]) -> "Zone":
        """A copy in which these RRsets replace those of the same name and type."""
        return Zone.of(self.origin, _with(dict(self._sets), rrsets))

    def without(self, keys: Iterable[tuple[Name, int]]) -> "Zone":
        sets = dict(self._sets)
        for name, rtype in keys:
            left = tuple(each for each in sets.pop(name, ()) if each.rtype != rtype)
            if left:
                sets[name] = left
        return Zone.of(self.origin, sets)

    def with_serial(self, serial: int) -> "Zone":
        soa = self.soa_rrset
        return self.with_rrsets([soa._replace(rdatas=(self.soa._replace(serial=serial).rdata(),))])


def fresh_zone(origin: Name, servers: Sequence[Name]) -> Zone:
    """What a zone begins with: SOA, with timers that the trade takes for granted (RFC 1912 s2.2), and NS."""
    soa = SoaFields(servers[0], Name(b"\x0ahostmaster" + origin), 1, 14400, 3600, 1209600, 600)
    return Zone(origin, [rrset(origin, SOA, 3600, [soa.rdata()]), rrset(origin, NS, NS_TTL, servers)])


def _with(sets: dict[Name, tuple[RRset, ...]], rrsets: Iterable[RRset]) -> dict[Name, tuple[RRset, ...]]:
    """``sets``, and these in the place of those of the same name and type."""
    for each in rrsets:
        beside = sets.get(each.name)
        sets[each.name] = (
            (each,) if beside is None else (*(other for other in beside if other.rtype != each.rtype), each)
        )
    return sets
