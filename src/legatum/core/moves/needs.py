"""What must be true of caches before a step (docs/timing.md).

A need says what; the *history* of the plan - everything that every place gave, until which step, with which TTL - says
after which steps, and for how long (:mod:`legatum.core.moves.waiting`). So a kind of move, and every way back, states
its needs and works out no hold of its own.
"""

from dataclasses import dataclass

from legatum.core.moves.place import RRsetKey
from legatum.core.records.name import Name


@dataclass(frozen=True, slots=True)
class NoLongerQueried:
    """Nobody asks the place for the zone any more (rules 4, 10 and 16)."""

    place: str
    zone: Name


@dataclass(frozen=True, slots=True)
class NsSetExpired:
    """Nobody holds an NS set of the zone that names these servers any more (rules 4 and 16)."""

    zone: Name
    hosts: tuple[Name, ...]


@dataclass(frozen=True, slots=True)
class Lowered:
    """Whoever holds the RRset holds it with the TTL that it is given with now (rule 1)."""

    zone: Name
    key: RRsetKey


@dataclass(frozen=True, slots=True)
class NameKnown:
    """Nobody remembers that the name was not there (rule 3)."""

    host: Name


@dataclass(frozen=True, slots=True)
class OldDataExpired:
    """Nobody holds an earlier form of the RRset any more (rule 2); ``negative``: nor that there was none (rule 3)."""

    zone: Name
    key: RRsetKey
    negative: bool = False


@dataclass(frozen=True, slots=True)
class Unused:
    """Nobody is sent to the address any more, by any RRset or glue (rules 2 and 10)."""

    address: str


@dataclass(frozen=True, slots=True)
class DelegationInForce:
    """Whoever asks for names below the cut comes to whom the zone hands them on to (rule 15): nobody holds what the
    zone itself said."""

    zone: Name
    cut: Name
    longest_ttl: int


@dataclass(frozen=True, slots=True)
class DsExpired:
    """Nobody holds a DS set of the domain any more (rule 7)."""

    domain: Name


@dataclass(frozen=True, slots=True)
class ChainConsistent:
    """Whatever anybody holds - a DS set, a key set, signed data - fits what is given from this step on (rules 6 to 9).
    ``places``: those that everybody is led to from then on."""

    zone: Name
    places: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Lasted:
    """What a step of the plan did was there for so many seconds, as somebody wished: nothing of it is computed."""

    step: str
    seconds: int


Need = (
    NoLongerQueried
    | NsSetExpired
    | Lowered
    | NameKnown
    | OldDataExpired
    | Unused
    | DelegationInForce
    | DsExpired
    | ChainConsistent
    | Lasted
)
NEEDS: dict[str, type] = {
    "unasked": NoLongerQueried,
    "unnamed": NsSetExpired,
    "lowered": Lowered,
    "known": NameKnown,
    "forgotten": OldDataExpired,
    "unused": Unused,
    "uncut": DelegationInForce,
    "unvouched": DsExpired,
    "fits": ChainConsistent,
    "lasted": Lasted,
}
"""How each is called in move files."""
