"""A name that has the addresses of another one: looked whether that is so, and remembered, so that surveys can say when
it no longer is."""

from legatum.core.moves.effects import Tracked
from legatum.core.moves.outcome import Outcome
from legatum.core.moves.place import ADDRESSES
from legatum.core.observation import observation
from legatum.core.records.address import address_text
from legatum.core.records.name import name_text
from legatum.core.running.fault import OutsideFault
from legatum.work.gathering.flatten import looks_at_target
from legatum.work.memory import note_tracked
from legatum.work.moves.effects.action import Action


class Track(Action[Tracked]):
    async def perform(self) -> Outcome:
        job, effect = self.job, self.effect
        looks = await looks_at_target(job.context, effect.target)
        place = job.timeline.serving(effect.zone)[-1]
        zone = await job.zone(place, effect.zone)
        own = {address_text(data) for each in zone.at(effect.name) if each.rtype in ADDRESSES for data in each.rdatas}
        target = frozenset[str]().union(*looks)
        seen = observation.Tracked(
            effect.name, effect.target, tuple(sorted(own)), tuple(sorted(target)), len(set(looks)) > 1
        )
        if seen.moved or not own:
            raise OutsideFault(
                f"{name_text(effect.target)} has {', '.join(seen.theirs)} now, {name_text(effect.name)} "
                f"{', '.join(seen.own) or 'none'}",
                "its addresses have changed meanwhile: take this back, and draft it again with the same --alias",
            )
        note_tracked(job.context, effect.zone, effect.name, effect.target)
        return self.outcome(
            now := self.now(), now, f"the addresses of {name_text(effect.target)}; from now on surveys look after them"
        )
