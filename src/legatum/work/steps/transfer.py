"""A registrar transfer: asked for at the gaining registrar, approved at the losing one, or cancelled."""

import secrets

from legatum.core.fault import GateShut, OutsideFault
from legatum.core.instant import parse_instant
from legatum.core.moves.transfer import TRANSFER_LOCK
from legatum.core.name import name_text
from legatum.core.runbook import Outcome
from legatum.services.registrar import Registrar, Transfer
from legatum.work.steps.action import Action, Job, Refusal
from legatum.work.steps.fit import transfer_refusals
from legatum.work.steps.registered import look_at_held


async def standing_of(job: Job) -> Transfer | None:
    """Where the transfer stands, by the account that can tell; None where there is none, or neither can.

    A transfer of an earlier time, to somebody else or over before this one was drafted, is none.
    """
    for account in (job.gaining, job.losing):
        if not account.by_hand and (found := await _standing(account, job)) is not None:
            return found
    return None


async def _standing(account: Registrar, job: Job) -> Transfer | None:
    try:
        found = await account.transfer_standing(job.domain)
    except OutsideFault as fault:
        if getattr(fault, "code", None) is None:
            raise
        return None  # this registrar may not ask; the other one may
    # Registries write whole seconds: the second of the drafting counts as after it.
    return found if found is not None and parse_instant(found.asked) >= int(job.runbook.drafted) else None


async def is_with_gaining(job: Job) -> bool:
    held, account = await look_at_held(job.outside, job.domain, job.gaining, job.losing)
    if account is not None:
        return account.name == job.gaining.name
    return held.registrar != str(job.runbook.premises["registered_with"])


def new_code() -> str:
    """An authorisation code that nobody can guess: letters, digits and a sign of each kind that registries ask for."""
    return f"{secrets.token_urlsafe(12)}a9-Z"


class Request(Action):
    async def gate(self) -> list[Refusal]:
        held, _ = await look_at_held(self.job.outside, self.job.domain, self.job.losing)
        refusals = await transfer_refusals(self.job.outside, held, self.job.losing, pending=False)
        if TRANSFER_LOCK in held.statuses:
            refusals.append(Refusal("the transfer lock is set", "find out who set it, then draft again or go on with --again unlock"))
        return refusals

    async def preview(self) -> list[str]:
        premises = self.job.runbook.premises
        years = f", {premises['years']} year added" if premises["years"] else ""
        return [f"{name_text(self.job.domain)}: {premises['from']} → {premises['to']}{years}"]

    async def seen(self) -> Outcome | None:
        standing, now = await standing_of(self.job), self.now()
        if standing is not None and (standing.pending or standing.approved):
            return self._outcome_of(standing)
        held, _ = await look_at_held(self.job.outside, self.job.domain, self.job.gaining, self.job.losing)
        if standing is None and ("pendingTransfer" in held.statuses or await is_with_gaining(self.job)):
            return self.outcome(now, now, "the registry says that a transfer is pending, or has happened")
        return None

    async def perform(self) -> Outcome:
        job, years = self.job, int(self.job.runbook.premises["years"])
        if job.gaining.by_hand:
            await job.gaining.transfer(job.domain, "request")
        said = await job.gaining.transfer(job.domain, "request", await self._code(), years)
        standing = await standing_of(job)
        if standing is None:
            raise OutsideFault(
                f"{job.gaining.name} said {said}, but the registry knows of no transfer", "look at the registrar's own pages"
            )
        return self._outcome_of(standing)

    def _outcome_of(self, standing: Transfer) -> Outcome:
        now = self.now()
        words = f"{standing.status}; {standing.acting} may act until {standing.acts_by}" if standing.pending else standing.status
        return self.outcome(now, now, f"asked for by {standing.asking}: {words}", acts_by=standing.acts_by)

    async def _code(self) -> str:
        """From the losing account, set anew where it is not told; else from where the move file says. It is kept nowhere."""
        job = self.job
        if reference := job.outside.code_reference or str(job.runbook.premises["code"]):
            return job.outside.secret(reference)
        found = await job.losing.code(job.domain)
        if not found:
            found = new_code()
            await job.losing.change_code(job.domain, found)
        return found


class Approve(Action):
    async def gate(self) -> list[Refusal]:
        standing = await standing_of(self.job)
        if standing is None or not standing.pending:
            return [
                Refusal("no transfer is pending", "ask for it again: `legatum move advance {name_text(self.job.domain)} --again request`")
            ]
        return []

    async def preview(self) -> list[str]:
        return [f"{self.job.losing.name} lets {name_text(self.job.domain)} go to {self.job.gaining.name}"]

    async def seen(self) -> Outcome | None:
        standing, now = await standing_of(self.job), self.now()
        return self.outcome(now, now, standing.status) if standing is not None and standing.approved else None

    async def perform(self) -> Outcome:
        first = self.now()
        said = await self.job.losing.transfer(self.job.domain, "approve")
        return self.outcome(first, self.now(), said)


class Cancel(Action):
    async def seen(self) -> Outcome | None:
        standing, now = await standing_of(self.job), self.now()
        if await is_with_gaining(self.job):
            raise GateShut("the transfer has happened", "there is no way back but another transfer, sixty days later")
        if standing is not None and not standing.pending:
            return self.outcome(now, now, f"the transfer is not pending: {standing.status}")
        held, _ = await look_at_held(self.job.outside, self.job.domain, self.job.losing)
        return None if "pendingTransfer" in held.statuses else self.outcome(now, now, "no transfer is pending")

    async def preview(self) -> list[str]:
        return [f"the transfer of {name_text(self.job.domain)} to {self.job.gaining.name}: pending → cancelled"]

    async def perform(self) -> Outcome:
        first, domain = self.now(), self.job.domain
        if self.job.gaining.by_hand and not self.job.losing.by_hand:
            said = await self.job.losing.transfer(domain, "reject")
        else:
            said = await self.job.gaining.transfer(domain, "cancel")
        return self.outcome(first, self.now(), said)
