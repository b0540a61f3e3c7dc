"""Who answers, and what was observed of them: the premises of a plan.

A *place* is a group of servers that answer alike: the parent's, a provider's, a secondary's. Premises hold of each zone
no more than what the plan rests on: the RRsets that change, those that lead to servers, and how long *no such name* is
kept.
"""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field

from legatum.core.calendar.window import Windows, parse_windows
from legatum.core.calendar.zone import parse_zone
from legatum.core.dnssec.trust import DsSet, Keys
from legatum.core.records.name import Name, name_text, parse_name
from legatum.core.records.rrset import RRset
from legatum.core.records.rrtype import AAAA, A
from legatum.core.running.fault import BadInput

RRsetKey = tuple[Name, int]
"""A name and a type."""
PARENT = "the parent"
"""The place that hands out the delegation of the move's domain."""
ADDRESSES = (A, AAAA)
_FRONT, _AT = "the zone ", " at "


@dataclass(frozen=True, slots=True)
class Place:
    """``servers``: name → addresses. ``own_ns``: its NS set at the apex cannot be changed there. ``by_hand``: only a
    person changes it. ``signs``: whatever zone it has, it signs by itself, with key sets of ``key_ttl``;
    ``takes_keys``: ones that are brought along; ``takes_foreign``: zone keys of others in its key sets."""

    name: str
    servers: Mapping[Name, tuple[str, ...]]
    own_ns: bool = False
    by_hand: bool = False
    signs: bool = False
    takes_keys: bool = False
    takes_foreign: bool = False
    key_ttl: int = 3600

    @property
    def addresses(self) -> tuple[str, ...]:
        return tuple(address for each in self.servers.values() for address in each)


def keeper_name(zone: Name, provider: str) -> str:
    """In the place of a registrar's name, for the DS set of a part: it is kept in the zone above."""
    return f"{_FRONT}{name_text(zone)}{_AT}{provider}"


def kept_at(registrar: str) -> tuple[Name, str] | None:
    """The zone above and its provider; None for a registrar's name."""
    zone, at, provider = registrar.removeprefix(_FRONT).partition(_AT)
    return (parse_name(zone + "."), provider) if registrar.startswith(_FRONT) and at else None


def keeper_text(registrar: str) -> str:
    """Where something is kept, in words."""
    return f"in {registrar}" if kept_at(registrar) else f"at the registrar {registrar}"


@dataclass(frozen=True, slots=True)
class Served:
    """What a place has of a zone. ``negative_ttl``: seconds that *no such name* is kept; ``longest_ttl``: of the whole
    zone; ``keys``: with which it is signed there."""

    place: str
    zone: Name
    rrsets: tuple[RRset, ...]
    negative_ttl: int
    longest_ttl: int = 0
    keys: Keys | None = None


@dataclass(frozen=True, slots=True)
class KnownHost:
    """A name server that is named in a zone outside the plan. ``since``: from when on its address is known to be there,
    None for unknown; ``negative_ttl``: how long *no such name* is kept there."""

    host: Name
    since: float | None
    negative_ttl: int


@dataclass(frozen=True, slots=True)
class Vanishing:
    """A place that will stop at an instant that is not ours to choose."""

    place: str
    at: float


@dataclass(frozen=True, slots=True)
class Registered:
    """What the registry holds of the domain. ``ds`` in hexadecimal; ``hosts``: below the domain, with addresses."""

    registrar: str
    nameservers: tuple[Name, ...] = ()
    ds: tuple[str, ...] = ()
    hosts: Mapping[Name, tuple[str, ...]] = field(default_factory=dict)
    statuses: tuple[str, ...] = ()
    expires: str = ""


@dataclass(frozen=True, slots=True)
class Premises:
    """What a plan rests on. ``registrar``: the account that has the domain, empty where none is needed; ``unsigned``:
    what shows that the domain is not signed, or ``signing``: how it is, in words; both empty where that was not looked
    at; ``anchors``: domain → the DS set at its parent; ``needed``: names and types that visitors come for, of those
    that change; ``vanishing``: an old side that ends by itself. ``floor`` and ``time_out`` in seconds, as in
    :class:`~legatum.core.calendar.timing.Caution`; ``serial_rule``: the house's, as in
    :func:`~legatum.core.records.soa.serial_by_rule`; ``reads_cds``: the registry may act on CDS records by itself;
    ``windows``, ``quiet``, ``time_zone``: when the house makes changes that visitors can feel, and when not; ``users``:
    name server → other domains whose NS sets name it."""

    parent_zone: Name
    registrar: str
    places: tuple[Place, ...]
    served: tuple[Served, ...]
    hosts: tuple[KnownHost, ...] = ()
    registered: Registered | None = None
    vanishing: tuple[Vanishing, ...] = ()
    unsigned: str = ""
    signing: str = ""
    anchors: Mapping[Name, DsSet] = field(default_factory=dict)
    floor: int = 0
    time_out: int = 0
    serial_rule: str = "counter"
    reads_cds: bool = True
    windows: tuple[str, ...] = ()
    quiet: tuple[str, ...] = ()
    time_zone: str = "UTC"
    users: Mapping[Name, tuple[Name, ...]] = field(default_factory=dict)

    @property
    def times(self) -> Windows:
        """When what visitors can feel is done."""
        return parse_windows(self.windows, self.quiet, parse_zone(self.time_zone))

    def place(self, name: str) -> Place:
        """Raises :class:`BadInput` where a step names one that the premises do not have."""
        found = next((each for each in self.places if each.name == name), None)
        if found is None:
            raise BadInput(f"no place '{name}' in the premises of this move", "mend the file, or draft the move again")
        return found

    def of(self, place: str, zone: Name) -> Served | None:
        return next((each for each in self.served if (each.place, each.zone) == (place, zone)), None)

    def negative_ttl(self, zone: Name) -> int:
        """The longest of all places that have it."""
        return max((each.negative_ttl for each in self.served if each.zone == zone), default=0)

    def fixed_addresses(self, host: Name) -> tuple[str, ...]:
        """Of a name server, as the places have them."""
        return tuple(address for place in self.places for address in place.servers.get(host, ()))

    def longest_ttl(self, zone: Name) -> int:
        """That anything of the zone may be kept, *no such name* too; the largest of all places."""
        return max((max(each.longest_ttl, each.negative_ttl) for each in self.served if each.zone == zone), default=0)

    def place_of(self, host: Name) -> str | None:
        return next((place.name for place in self.places if host in place.servers), None)

    def zones(self) -> Iterator[Name]:
        """Those that are served, without the parent's, each once."""
        yield from dict.fromkeys(each.zone for each in self.served if each.place != PARENT)
