"""A name that has the addresses of another one: looked whether that is so, and remembered, so that surveys can say when it no longer is."""

from legatum.core.fault import OutsideFault
from legatum.core.moves.effects import Tracked
from legatum.core.moves.outcome import Outcome
from legatum.core.moves.place import ADDRESSES
from legatum.core.records.address import address_text
from legatum.core.records.name import name_text
from legatum.work.gathering.flatten import addresses_of_target
from legatum.work.memory import note_tracked
from legatum.work.moves.effects.action import Action


class Track(Action[Tracked]):
    async def perform(self) -> Outcome:
        job, effect = self.job, self.effect
        target = {address_text(data) for each in await addresses_of_target(job.outside, effect.target) for data in each.rdatas}
        place = job.scene.serving(effect.zone)[-1]
        zone = await job.zone(place, effect.zone)
        own = {address_text(data) for each in zone.at(effect.name) if each.rtype in ADDRESSES for data in each.rdatas}
        if own != target:
            raise OutsideFault(
                f"{name_text(effect.target)} has {', '.join(sorted(target))} now, {name_text(effect.name)} {', '.join(sorted(own))}",
                "its addresses have changed meanwhile: take this back, and draft it again with the same --alias",
            )
        note_tracked(job.outside, effect.zone, effect.name, effect.target)
        return self.outcome(now := self.now(), now, f"the addresses of {name_text(effect.target)}; from now on surveys look after them")
