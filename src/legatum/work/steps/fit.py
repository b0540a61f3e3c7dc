"""Whether a domain may be transferred to another registrar now."""

from legatum.core.fault import OutsideFault
from legatum.core.moves.transfer import REQUEST, Account, Held, obstacles
from legatum.core.runbook import Outcome
from legatum.services.registrar import Registrar
from legatum.work.outside import Outside
from legatum.work.steps.action import Action, Refusal
from legatum.work.steps.registered import look_at_held


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


class Fit(Action):
    async def gate(self) -> list[Refusal]:
        held, account = await look_at_held(self.job.outside, self.job.domain, self.job.losing)
        if account is None and not self.job.losing.by_hand:
            raise OutsideFault(
                f"{self.job.losing.name} does not have the domain, {held.registrar} has", "is it the right losing registrar?"
            )
        return await transfer_refusals(self.job.outside, held, self.job.losing, REQUEST in self.job.outcomes)

    async def perform(self) -> Outcome:
        now = self.now()
        return self.outcome(now, now, "nothing stands in the way")
