"""A zone is made at a place, whole, or ended there."""

from dataclasses import dataclass

from legatum.core.dnssec.trust import Keys
from legatum.core.moves.effects.effect import Effect
from legatum.core.moves.needs import Need, NoLongerQueried
from legatum.core.moves.timeline import Content, Timeline
from legatum.core.records.name import Name
from legatum.core.records.rrset import RRset
from legatum.core.records.rrtype import NS


@dataclass(frozen=True, slots=True)
class ZoneMade(Effect):
    """``rrsets``: of the zone, those that the plan follows: its NS set as it will be there, above all. ``source``: the
    place whose zone is taken, empty for the file that was gathered; ``keys``: with which the place signs it by
    itself."""

    place: str
    zone: Name
    rrsets: tuple[RRset, ...]
    source: str = ""
    keys: Keys | None = None

    @property
    def ns(self) -> RRset:
        return next(each for each in self.rrsets if each.name == self.zone and each.rtype == NS)

    def play(self, timeline: Timeline, first: float, everywhere: float, step: str) -> None:
        if timeline.content(self.place, self.zone) == Content.NOTHING:
            timeline.set_content(self.place, self.zone, Content.BLANK, first, first, step)
            timeline.set_rrset(self.place, self.zone, (self.zone, NS), self.ns, first, first, step)
        for each in self.rrsets:
            timeline.set_rrset(self.place, self.zone, (each.name, each.rtype), each, first, everywhere, step)
        timeline.set_content(self.place, self.zone, Content.WHOLE, first, everywhere, step)
        timeline.set_keys(self.place, self.zone, self.keys, first, everywhere, step)

    def reverse(self) -> "ZoneEnded":
        return ZoneEnded(self.place, self.zone, self.rrsets, self.source, self.keys)


@dataclass(frozen=True, slots=True)
class ZoneEnded(Effect):
    """``rrsets``, ``source`` and ``keys``: what makes it anew, if it comes to that."""

    place: str
    zone: Name
    rrsets: tuple[RRset, ...] = ()
    source: str = ""
    keys: Keys | None = None
    felt = True
    takes_away = True

    @property
    def needs(self) -> tuple[Need, ...]:
        return (NoLongerQueried(self.place, self.zone),)

    def play(self, timeline: Timeline, first: float, everywhere: float, step: str) -> None:
        timeline.set_content(self.place, self.zone, Content.NOTHING, first, everywhere, step)

    def reverse(self) -> ZoneMade:
        return ZoneMade(self.place, self.zone, self.rrsets, self.source, self.keys)
