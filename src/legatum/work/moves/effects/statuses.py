"""A registrar's locks, set and lifted; what is so already is left alone."""

from legatum.core.moves.effects import Statuses
from legatum.core.moves.kinds.registrar_transfer import UPDATE_LOCK
from legatum.core.moves.outcome import Outcome
from legatum.core.running.fault import OutsideFault
from legatum.services.registrar import Registrar
from legatum.work.moves.effects.action import Action
from legatum.work.registry.held import look_at_held


class ChangeStatuses(Action[Statuses]):
    @property
    def _account(self) -> Registrar:
        return self.job.registrar(self.effect.registrar)

    async def _held(self) -> set[str]:
        held, _ = await look_at_held(self.job.context, self.job.domain, self._account)
        return set(held.statuses)

    async def preview(self) -> list[str]:
        held = await self._held()
        wanted = sorted((held | set(self.effect.to_set)) - set(self.effect.to_lift) - {"ok"}) or ["ok"]
        return [f"statuses at {self.effect.registrar}: {', '.join(sorted(held)) or 'none'} → {', '.join(wanted)}"]

    async def seen(self) -> Outcome | None:
        held = await self._held()
        if set(self.effect.to_set) - held or set(self.effect.to_lift) & held:
            return None
        now = self.now()
        return self.outcome(now, now, f"statuses at {self.effect.registrar}: {', '.join(sorted(held)) or 'none'}")

    async def perform(self) -> Outcome:
        first, held = self.now(), await self._held()
        come, go = set(self.effect.to_set) - held, set(self.effect.to_lift) & held
        # The lock on updates is lifted first and set last: under it nothing else can be changed.
        first_go, then_go = go & {UPDATE_LOCK}, go - {UPDATE_LOCK}
        first_come, then_come = come - {UPDATE_LOCK}, come & {UPDATE_LOCK}
        for add, remove in ((set[str](), first_go), (first_come, then_go), (then_come, set[str]())):
            if add or remove:
                await self._account.change_statuses(self.job.domain, sorted(add), sorted(remove))
        outcome = await self.seen()
        if outcome is None:
            raise OutsideFault(
                f"{self.effect.registrar} did not keep the statuses", "look at the registrar's own pages"
            )
        return self.outcome(first, outcome.all, outcome.summary)
