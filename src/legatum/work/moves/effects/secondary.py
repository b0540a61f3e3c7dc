"""A second provider told of the zone, until it has the same serial; and one that serves it no longer."""

from legatum.core.moves.drift.position import Refusal
from legatum.core.moves.effects import Joined, Released
from legatum.core.moves.outcome import Outcome
from legatum.core.records.name import name_text
from legatum.work.drafting.second import Seconding, follower_of, in_step, own_zone, release, serves, still_serving, tell
from legatum.work.moves.effects.action import Action


class Join(Action[Joined]):
    @property
    def _seconding(self) -> Seconding:
        return follower_of(self.job.context, self.effect.zone, self.effect.primary, self.effect.place)

    async def gate(self) -> list[Refusal]:
        primary = (await self.job.zone(self.effect.primary, self.effect.zone)).soa.primary
        return [Refusal(*each) for each in await own_zone(self.job.context, self._seconding, primary)]

    async def preview(self) -> list[str]:
        return [
            f"{self.effect.place} is told of {name_text(self.effect.zone)}, and brought into step with "
            f"{self.effect.primary}"
        ]

    async def seen(self) -> Outcome | None:
        if not await serves(self.job.context, self._seconding) or await self.gate():
            return None
        return await self._in_step("it serves the zone already")

    async def perform(self) -> Outcome:
        first = self.now()
        said = (await tell(self.job.context, [self._seconding]))[self.effect.zone]
        outcome = await self._in_step(said)
        return self.outcome(first, outcome.all, outcome.summary)

    async def _in_step(self, said: str) -> Outcome:
        serial, told = await in_step(self.job.context, self._seconding)
        heard = f"; {told} of {len(self._seconding.section.notify)} took our NOTIFY" if told else ""
        now = self.now()
        return self.outcome(now, now, f"{said}; it has serial {serial}{heard}")


class Release(Action[Released]):
    @property
    def _seconding(self) -> Seconding:
        return follower_of(self.job.context, self.effect.zone, self.effect.primary, self.effect.place)

    async def preview(self) -> list[str]:
        return [f"{name_text(self.effect.zone)} at {self.effect.place}: served → gone"]

    async def seen(self) -> Outcome | None:
        if await still_serving(self.job.context, self._seconding):
            return None
        now = self.now()
        return self.outcome(now, now, f"no server of {self.effect.place} answers for it any more")

    async def perform(self) -> Outcome:
        first = self.now()
        said = await release(self.job.context, self._seconding)
        return self.outcome(first, self.now(), f"{said}; no server of {self.effect.place} answers for it any more")
