"""A second provider serves a copy of the zone, or no longer."""

from dataclasses import dataclass

from legatum.core.moves.effects.effect import Effect
from legatum.core.moves.needs import Need, NoLongerQueried
from legatum.core.moves.timeline import Content, Timeline
from legatum.core.records.name import Name


@dataclass(frozen=True, slots=True)
class Joined(Effect):
    """``primary``: the place that it takes its copy from. Proven when every address has the primary's serial."""

    place: str
    zone: Name
    primary: str

    def play(self, timeline: Timeline, first: float, everywhere: float, step: str) -> None:
        for name, rtype in timeline.keys(self.zone):
            if (present := timeline.rrset(self.primary, self.zone, name, rtype)) is not None:
                timeline.set_rrset(self.place, self.zone, (name, rtype), present, first, first, step)
        timeline.set_content(self.place, self.zone, Content.WHOLE, first, everywhere, step)
        timeline.set_keys(self.place, self.zone, timeline.keys_at(self.primary, self.zone), first, everywhere, step)

    def reverse(self) -> "Released":
        return Released(self.place, self.zone, self.primary)


@dataclass(frozen=True, slots=True)
class Released(Effect):
    place: str
    zone: Name
    primary: str
    takes_away = True
    felt = True

    @property
    def needs(self) -> tuple[Need, ...]:
        return (NoLongerQueried(self.place, self.zone),)

    def play(self, timeline: Timeline, first: float, everywhere: float, step: str) -> None:
        timeline.set_content(self.place, self.zone, Content.NOTHING, first, everywhere, step)

    def reverse(self) -> Joined:
        return Joined(self.place, self.zone, self.primary)
