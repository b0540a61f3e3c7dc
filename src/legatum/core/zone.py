"""A zone's contents: RRsets by name and type."""

from collections.abc import Iterable, Iterator

from legatum.core.name import Name, canonical_key, name_text
from legatum.core.rrset import RRset
from legatum.core.rrtype import NS, SOA
from legatum.core.soa import SoaFields, parse_soa


class Zone:
    """An unchanging collection of RRsets at and below ``origin``. Changed copies come from :meth:`with_rrsets` and :meth:`without`."""

    __slots__ = ("_rrsets", "origin")

    def __init__(self, origin: Name, rrsets: Iterable[RRset]) -> None:
        self.origin = origin
        self._rrsets = {(each.name, each.rtype): each for each in rrsets}

    @classmethod
    def of(cls, origin: Name, rrsets: dict[tuple[Name, int], RRset]) -> "Zone":
        """From a dictionary that has the keys already, and that nobody changes afterwards."""
        zone = cls(origin, ())
        zone._rrsets = rrsets
        return zone

    def __len__(self) -> int:
        return len(self._rrsets)

    def __iter__(self) -> Iterator[RRset]:
        """RRsets in canonical order of names, SOA first at the apex."""
        return iter(sorted(self._rrsets.values(), key=lambda each: (canonical_key(each.name), each.rtype != SOA, each.rtype)))

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Zone) and self.origin == other.origin and self._rrsets == other._rrsets

    def __hash__(self) -> int:
        return hash((self.origin, frozenset(self._rrsets.values())))

    def __repr__(self) -> str:
        return f"<zone {name_text(self.origin)}: {len(self)} RRsets>"

    def get(self, name: Name, rtype: int) -> RRset | None:
        return self._rrsets.get((name, rtype))

    def at(self, name: Name) -> list[RRset]:
        """All RRsets of one name."""
        return [each for each in self._rrsets.values() if each.name == name]

    @property
    def unsorted(self) -> Iterable[RRset]:
        """All RRsets in no order that means anything: for a pass over a big zone."""
        return self._rrsets.values()

    @property
    def keys(self) -> set[tuple[Name, int]]:
        return set(self._rrsets)

    @property
    def names(self) -> set[Name]:
        return {name for name, _ in self._rrsets}

    @property
    def record_count(self) -> int:
        return sum(len(each.rdatas) for each in self._rrsets.values())

    @property
    def soa_rrset(self) -> RRset:
        """The SOA RRset. Raises ``KeyError`` for a zone without one."""
        return self._rrsets[self.origin, SOA]

    @property
    def soa(self) -> SoaFields:
        return parse_soa(self.soa_rrset.rdatas[0])

    @property
    def apex_ns(self) -> RRset | None:
        return self.get(self.origin, NS)

    def with_rrsets(self, rrsets: Iterable[RRset]) -> "Zone":
        """A copy in which these RRsets replace those of the same name and type."""
        return Zone(self.origin, [*self._rrsets.values(), *rrsets])

    def without(self, keys: Iterable[tuple[Name, int]]) -> "Zone":
        gone = set(keys)
        return Zone(self.origin, (each for key, each in self._rrsets.items() if key not in gone))

    def with_serial(self, serial: int) -> "Zone":
        soa = self.soa_rrset
        return self.with_rrsets([soa._replace(rdatas=(self.soa._replace(serial=serial).rdata(),))])
