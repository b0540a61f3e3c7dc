"""The NS set at the registrar, exactly the names wanted; and every server of the parent zone watched until it hands it
out."""

from legatum.core.agreement.verdict import names_said
from legatum.core.moves.drift.position import Refusal
from legatum.core.moves.effects import Delegated, HostSet, Published
from legatum.core.moves.outcome import Outcome
from legatum.core.observation.slips import slips
from legatum.core.records.name import Name, name_text
from legatum.core.records.rrset import targets
from legatum.core.running.fault import OutsideFault
from legatum.work.moves.effects.action import Action
from legatum.work.moves.readiness import locked, unready
from legatum.work.registry.host_changes import until_glue
from legatum.work.registry.registration import glue_for


class Delegate(Action[Delegated]):
    async def gate(self) -> list[Refusal]:
        job, effect = self.job, self.effect
        held = await self._held()
        refusals = [
            *(await unready(job, job.domain, effect.after) if effect.after else []),
            *await locked(job, effect.registrar),
        ]
        if held not in (set(effect.before), set(effect.after)):
            reason = f"the registrar holds {names_said(tuple(sorted(held)))}, neither the old nor the new set"
            remedy = "somebody changed it since the move was drafted: find out who, then draft again"
            account = job.registrar(effect.registrar)
            if account.by_hand and (wrong := slips(effect.after, effect.before, held, job.domain)):
                reason, remedy = "; ".join(wrong), "mend it in the form, then the same command again"
            refusals.append(Refusal(reason, remedy))
        return refusals

    async def _held(self) -> set[Name]:
        return set((await self.job.cache.registration(self.effect.registrar, self.job.domain)).nameservers)

    async def preview(self) -> list[str]:
        held = await self.job.cache.registration(self.effect.registrar, self.job.domain)
        return [
            f"NS set at {self.effect.registrar}: {names_said(tuple(sorted(held.nameservers)))} → "
            f"{names_said(self.effect.after)}"
        ]

    async def seen(self) -> Outcome | None:
        if await self._held() != set(self.effect.after):
            return None
        now = self.now()
        return self.outcome(now, now, "the registry holds exactly this set already")

    async def perform(self) -> Outcome:
        registrar, domain, wanted = self.job.registrar(self.effect.registrar), self.job.domain, set(self.effect.after)
        present = set((await self.job.cache.registration(self.effect.registrar, domain)).nameservers)
        first = self.now()
        add = sorted(wanted - present)
        glue = await glue_for(self.job.context, registrar, domain, add)
        said = await registrar.change_nameservers(domain, add, sorted(present - wanted), glue)
        held = set((await registrar.registration(domain)).nameservers)
        if held != wanted:
            raise OutsideFault(
                f"{registrar.name} said {said}, but the registry holds {names_said(tuple(sorted(held)))}",
                "look at the registrar's own pages",
            )
        return self.outcome(first, self.now(), f"{said}; the registry holds exactly {names_said(tuple(sorted(held)))}")


class SeeDelegation(Action[Published]):
    """Every address of every server of the parent zone."""

    async def perform(self) -> Outcome:
        job, wanted = self.job, self.effect.after
        first: float | None = None
        counted, upper = 0, job.runbook.premises.parent_zone

        async def behind() -> str:
            nonlocal first, counted
            job.cache.forget()
            handed = await job.cache.delegation(job.domain)
            counted = len(handed.given)
            late = {address: targets(ns) for address, ns in handed.given.items() if targets(ns) != wanted}
            if first is None and len(late) < counted:
                first = self.now()
            silent = [f"{address} does not answer" for address in handed.silent]
            return "; ".join(
                [*(f"{address} hands out {names_said(names)}" for address, names in late.items()), *silent]
            )

        servers = f"the servers of {name_text(upper)}"
        everywhere = await job.context.until_seen(behind, f"the NS set at {servers}")
        for host in self.effect.hosts:
            everywhere = await until_glue(job.context, job.domain, host, self._glue(host))
        said = f"hand out exactly {names_said(wanted)}" if wanted else "hand out no NS set for it"
        return self.outcome(
            everywhere if first is None else first, everywhere, f"all {counted} addresses of {servers} {said}"
        )

    def _glue(self, host: Name) -> tuple[str, ...]:
        return next(
            (
                each.after
                for step in reversed(self.job.runbook.steps)
                for each in step.effects
                if isinstance(each, HostSet) and each.host == host
            ),
            (),
        )
