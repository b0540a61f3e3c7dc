"""Looks: steps that change nothing, and without which the next ones must not be taken."""

from dataclasses import dataclass

from legatum.core.moves.effects.effect import Effect
from legatum.core.records.name import Name
from legatum.core.records.rrset import RRset


@dataclass(frozen=True, slots=True)
class Gathered(Effect):
    """The zone as the place has it, into the file beside the move."""

    place: str
    zone: Name
    changes = False


@dataclass(frozen=True, slots=True)
class Same(Effect):
    """Every answer of the places, server by server; the last one is where visitors are led to."""

    zone: Name
    places: tuple[str, ...]
    changes = False


@dataclass(frozen=True, slots=True)
class Ready(Effect):
    """The preconditions of a delegation change (rule 4): every server of these places answers for the zone with the NS
    set ``ns``, every name in it has its address, and all places hold the same."""

    zone: Name
    places: tuple[str, ...]
    ns: tuple[Name, ...]
    leaving: tuple[str, ...] = ()
    changes = False


@dataclass(frozen=True, slots=True)
class Agreed(Effect):
    """Parent, child, registrar and resolvers have the NS set ``ns``; none for a domain that nobody delegates any more.
    Without ``resolvers``: who holds an earlier set is served by it too."""

    domain: Name
    ns: tuple[Name, ...]
    registrar: str = ""
    resolvers: bool = True
    changes = False


@dataclass(frozen=True, slots=True)
class Tracked(Effect):
    """The name has the addresses of the target, and is looked after from then on."""

    zone: Name
    name: Name
    target: Name
    changes = False


@dataclass(frozen=True, slots=True)
class Answered(Effect):
    """Every server of these places, and every resolver, gives just these RRsets. ``gone``: names and types that nobody
    gives any more."""

    zone: Name
    places: tuple[str, ...]
    rrsets: tuple[RRset, ...]
    gone: tuple[tuple[Name, int], ...] = ()
    changes = False
