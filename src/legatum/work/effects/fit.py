"""Whether a domain may be transferred to another registrar now."""

from legatum.core.fault import OutsideFault
from legatum.core.moves.effects import Fit
from legatum.core.moves.kinds.transfer import Account, Held, obstacles
from legatum.core.runbook import Outcome
from legatum.services.registrar import Registrar
from legatum.work.effects.action import Action, Refusal
from legatum.work.held import look_at_held
from legatum.work.outside import Outside


async def losing_account(outside: Outside, registrar: Registrar) -> Account:
    """With the servers of the DNS services that stop when a domain leaves it, and their addresses."""
    names = outside.settings.registrars[registrar.name].dns
    servers = tuple(server for name in names for server in outside.provider(name).servers)
    addresses = tuple(address for each in (await outside.addresses(servers)).values() for address in each)
    return Account(registrar.name, registrar.by_hand, servers, addresses)


async def transfer_refusals(outside: Outside, held: Held, registrar: Registrar, pending: bool) -> list[Refusal]:
    """What stands in the way of it leaving this registrar."""
    account = await losing_account(outside, registrar)
    return [Refusal(each.reason, each.remedy) for each in obstacles(held, account, outside.clock.now(), pending)]


class SeeFit(Action[Fit]):
    async def gate(self) -> list[Refusal]:
        job, losing = self.job, self.job.registrar(self.effect.losing)
        held, account = await look_at_held(job.outside, job.domain, losing)
        if account is None and not losing.by_hand:
            raise OutsideFault(f"{losing.name} does not have the domain, {held.registrar} has", "is it the right losing registrar?")
        asked = any(
            step.id in job.outcomes for step in job.runbook.steps if any(getattr(each, "op", "") == "request" for each in step.effects)
        )
        return await transfer_refusals(job.outside, held, losing, asked)

    async def perform(self) -> Outcome:
        now = self.now()
        return self.outcome(now, now, "nothing stands in the way")
