"""A name server's addresses at the registry, and as glue where the parent names it."""

from legatum.core.moves.drift.position import Refusal
from legatum.core.moves.effects import HostSet
from legatum.core.moves.outcome import Outcome
from legatum.core.observation.hosts import refuse_used
from legatum.core.observation.slips import address_slips
from legatum.core.records.name import name_text
from legatum.core.running.fault import GateShut, OutsideFault
from legatum.work.moves.effects.action import Action
from legatum.work.moves.readiness import users_unserved
from legatum.work.registry.host_changes import HostByHand, until_glue
from legatum.work.registry.hosts import held_addresses, look_for_host_users, shows_host


class SetHost(Action[HostSet]):
    async def gate(self) -> list[Refusal]:
        if self.effect.after:
            come = [each for each in self.effect.after if each not in self.effect.before]
            slips = self._slips(await self._held()) if self.job.registrar(self.effect.registrar).by_hand else []
            return slips + await users_unserved(self.job, self.effect.host, come)
        job = self.job
        users = await look_for_host_users(
            job.context, self.effect.host, [job.domain], job.registrar(self.effect.registrar)
        )
        try:
            refuse_used(self.effect.host, users)
        except GateShut as shut:
            return [Refusal(shut.message, shut.remedy)]
        return []

    def _slips(self, held: tuple[str, ...] | None) -> list[Refusal]:
        """What somebody has typed otherwise than it was meant."""
        wrong = address_slips(self.effect.after, self.effect.before, held or ())
        return [Refusal("; ".join(wrong), "mend it in the form, then the same command again")] if wrong else []

    async def _held(self) -> tuple[str, ...] | None:
        found = await held_addresses(self.job.context, self.job.registrar(self.effect.registrar), self.effect.host)
        return None if found is None else tuple(found)

    async def preview(self) -> list[str]:
        return [f"{self._words(await self._held())}"]

    def _words(self, held: tuple[str, ...] | None) -> str:
        unseen = "not seen" if self.job.registrar(self.effect.registrar).by_hand else "nothing"
        before = ", ".join(sorted(held or ())) or unseen
        after = ", ".join(self.effect.after) or "no such host"
        return f"host {name_text(self.effect.host)} at {self.effect.registrar}: {before} → {after}"

    async def visible(self) -> bool:
        job = self.job
        return await shows_host(job.context, job.registrar(self.effect.registrar), job.domain, self.effect.host)

    async def seen(self) -> Outcome | None:
        held = await self._held()
        if set(held or ()) != set(self.effect.after) or (held is None) == bool(self.effect.after):
            return None
        if held is None and not await self.visible():
            return None
        everywhere = await until_glue(self.job.context, self.job.domain, self.effect.host, self.effect.after)
        return self.outcome(everywhere, everywhere, f"{self.effect.registrar} holds just this already")

    async def perform(self) -> Outcome:
        effect, registrar, held = self.effect, self.job.registrar(self.effect.registrar), await self._held()
        if registrar.by_hand:
            raise HostByHand(registrar, effect.host, sorted(held or ()), effect.after, ())
        first, words = self.now(), self._words(held)
        if not effect.after:
            said = await registrar.delete_host(effect.host)
        else:
            add, remove = (
                [each for each in effect.after if each not in (held or ())],
                sorted(set(held or ()) - set(effect.after)),
            )
            said = await registrar.change_host(effect.host, add, remove, held is None)
        now = await registrar.host(effect.host)
        if set(now.addresses if now is not None else ()) != set(effect.after):
            raise OutsideFault(
                f"{registrar.name} said {said}, but does not hold these addresses", "look at the registrar's own pages"
            )
        everywhere = await until_glue(self.job.context, self.job.domain, effect.host, effect.after)
        return self.outcome(first, everywhere, f"{words}: {said}")
