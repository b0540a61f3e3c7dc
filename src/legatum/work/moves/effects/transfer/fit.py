"""Whether a domain may be transferred to another registrar now."""

from legatum.core.moves.drift.position import Refusal
from legatum.core.moves.effects import Fit
from legatum.core.moves.kinds.registrar_transfer import RegisteredDomain, obstacles
from legatum.core.moves.outcome import Outcome
from legatum.core.running.fault import OutsideFault
from legatum.services.registrar import Registrar
from legatum.work.moves.effects.action import Action
from legatum.work.registry.held import look_at_held, losing_account
from legatum.work.run_context import RunContext


async def transfer_refusals(
    context: RunContext, held: RegisteredDomain, registrar: Registrar, pending: bool
) -> list[Refusal]:
    """What stands in the way of it leaving this registrar."""
    account = await losing_account(context, registrar)
    return [Refusal(each.reason, each.remedy) for each in obstacles(held, account, context.clock.now(), pending)]


class SeeFit(Action[Fit]):
    async def gate(self) -> list[Refusal]:
        job, losing = self.job, self.job.registrar(self.effect.losing)
        held, account = await look_at_held(job.context, job.domain, losing)
        if account is None and not losing.by_hand:
            raise OutsideFault(
                f"{losing.name} does not have the domain, {held.registrar} has", "is it the right losing registrar?"
            )
        asked = any(
            step.id in job.outcomes
            for step in job.runbook.steps
            if any(getattr(each, "op", "") == "request" for each in step.effects)
        )
        return await transfer_refusals(job.context, held, losing, asked)

    async def perform(self) -> Outcome:
        now = self.now()
        return self.outcome(now, now, "nothing stands in the way")
