"""What a place gave beside what it is known for: nothing that a step does, but what is remembered, and caches may
hold."""

from dataclasses import dataclass

from legatum.core.dnssec.serving import anchors_of
from legatum.core.moves.effects.effect import Effect
from legatum.core.moves.timeline import Timeline
from legatum.core.records.name import Name
from legatum.core.records.rrset import RRset
from legatum.core.records.rrtype import DS


@dataclass(frozen=True, slots=True)
class Gave(Effect):
    """``rrset`` was given of this zone, by ``place``, from the first instant to the last; what it gives now stays as it
    is."""

    place: str
    zone: Name
    rrset: RRset
    changes = False

    def play(self, timeline: Timeline, first: float, everywhere: float, step: str) -> None:
        if self.rrset.rtype == DS:
            timeline.remember_ds_set(
                self.rrset.name, anchors_of(self.rrset.rdatas, self.rrset.ttl), first, everywhere, step
            )
        else:
            timeline.remember_rrset(self.place, self.zone, self.rrset, first, everywhere, step)
