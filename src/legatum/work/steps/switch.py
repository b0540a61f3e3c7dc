"""The NS set at the registrar: exactly the names wanted, none of the others left."""

from legatum.core.fault import OutsideFault
from legatum.core.meant import slips
from legatum.core.moves.transfer import Held
from legatum.core.name import name_text
from legatum.core.registration import forbids_updates
from legatum.core.rehearsal.stage import Which
from legatum.core.runbook import Outcome
from legatum.core.verdict import names_said
from legatum.services.registrar import Registration
from legatum.work.steps.action import Action, Job, Refusal
from legatum.work.steps.registered import look_at_held
from legatum.work.steps.sides import side_refusals


async def look_at_registration(job: Job) -> Registration | Held:
    """Of a registrar with only a form, registration data show what was typed before the parent's servers do."""
    if job.registrar.by_hand and job.outside.settings.rdap is not None:
        return (await look_at_held(job.outside, job.domain))[0]
    return await job.registrar.registration(job.domain)


def lock_refusals(job: Job, held: Registration | Held) -> list[Refusal]:
    """While the registry lets nobody change the name servers."""
    stops = [status for status in held.statuses if forbids_updates(status)]
    domain, registrar = name_text(job.domain), job.registrar.name
    remedy = f"unlock it first: `legatum registration unlock {domain} --registrar {registrar}`; a lock of the registry's only it can lift"
    return [Refusal(f"the registration's status forbids another NS set: {', '.join(stops)}", remedy)] if stops else []


class Switch(Action):
    async def gate(self) -> list[Refusal]:
        held = await self._held()
        refusals = [*await side_refusals(self.job), *lock_refusals(self.job, held)]
        if set(held.nameservers) not in (set(self.job.old_ns), set(self.job.new_ns)):
            reason = f"the registrar holds {names_said(sorted(held.nameservers))}, neither the old nor the new set"
            remedy = "somebody changed it since the move was drafted: find out who, then draft again"
            before = self.job.new_ns if self.job.target == Which.OLD else self.job.old_ns
            if self.job.registrar.by_hand and (wrong := slips(self.job.target_ns, before, held.nameservers, self.job.domain)):
                reason, remedy = "; ".join(wrong), "mend it in the form, then the same command again"
            refusals.append(Refusal(reason, remedy))
        return refusals

    async def _held(self) -> Registration | Held:
        return await look_at_registration(self.job)

    async def preview(self) -> list[str]:
        held = await self._held()
        return [f"NS set at {self.job.registrar.name}: {names_said(sorted(held.nameservers))} → {names_said(self.job.target_ns)}"]

    async def seen(self) -> Outcome | None:
        held = await self._held()
        if set(held.nameservers) != set(self.job.target_ns):
            return None
        now = self.now()
        return self.outcome(now, now, "the registry holds exactly this set already")

    async def perform(self) -> Outcome:
        registrar, domain, wanted = self.job.registrar, self.job.domain, set(self.job.target_ns)
        present = set((await registrar.registration(domain)).nameservers)
        first = self.now()
        said = await registrar.change_nameservers(domain, sorted(wanted - present), sorted(present - wanted))
        held = set((await registrar.registration(domain)).nameservers)
        if held != wanted:
            raise OutsideFault(
                f"{registrar.name} said {said}, but the registry holds {names_said(sorted(held))}",
                "look at the registrar's own pages",
            )
        return self.outcome(first, self.now(), f"{said}; the registry holds exactly {names_said(sorted(held))}")
