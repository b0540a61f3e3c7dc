"""The DS set at the registrar, and who signs the zone at a place."""

from dataclasses import dataclass

from legatum.core.dnssec.trust import DsSet, Keys
from legatum.core.moves.effects.effect import Effect
from legatum.core.moves.timeline import Timeline
from legatum.core.records.name import Name


@dataclass(frozen=True, slots=True)
class DsChanged(Effect):
    """The parent has DS records for other keys than before, or none. ``ahead``: some of them are not in use yet."""

    registrar: str
    domain: Name
    parent_zone: Name
    before: DsSet
    after: DsSet
    ahead: bool = False
    felt = True
    shown_later = True

    def play(self, timeline: Timeline, first: float, everywhere: float, step: str) -> None:
        timeline.set_ds(self.domain, self.after, first, everywhere, step)

    def reverse(self) -> "DsChanged":
        return DsChanged(self.registrar, self.domain, self.parent_zone, self.after, self.before, self.ahead)


@dataclass(frozen=True, slots=True)
class DsPublished(Effect):
    """A look at every server of the parent zone: it hands out just this DS set."""

    domain: Name
    after: DsSet
    changes = False

    def concerns(self, effect: Effect) -> bool:
        return isinstance(effect, DsChanged) and (effect.domain, effect.after) == (self.domain, self.after)


@dataclass(frozen=True, slots=True)
class Signed(Effect):
    """The place signs the zone with other keys than before: it begins to, or ends it; ``shares``: the place whose zone
    keys come into its key set, or leave it."""

    place: str
    zone: Name
    before: Keys | None
    after: Keys | None
    follows: tuple[str, ...] = ()
    shares: str = ""
    felt = True

    @property
    def takes_away(self) -> bool:
        if self.before is None or self.after is None:
            return self.before is not None
        pairs = zip(self.before.roles, self.after.roles, strict=True)
        return any(set(had) - set(kept) for had, kept in pairs)

    def play(self, timeline: Timeline, first: float, everywhere: float, step: str) -> None:
        for place in (self.place, *self.follows):
            timeline.set_keys(place, self.zone, self.after, first, everywhere, step)

    def reverse(self) -> "Signed":
        return Signed(self.place, self.zone, self.after, self.before, self.follows, self.shares)


@dataclass(frozen=True, slots=True)
class Trusted(Effect):
    """A look at the whole chain, at every server of the parent and of these places: the DS set matches; with no DS,
    nobody is asked for signatures."""

    domain: Name
    places: tuple[str, ...]
    anchors: DsSet
    changes = False
