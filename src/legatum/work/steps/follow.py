"""Following a transfer until it is over: the losing registrar lets go, or five days pass (docs/timing.md, rule 13)."""

from legatum.core.fault import GateShut
from legatum.core.instant import parse_instant
from legatum.core.moves.transfer import BY_ITSELF, REQUEST
from legatum.core.name import name_text
from legatum.core.runbook import Outcome
from legatum.core.timing import Bound
from legatum.work.steps.action import Action
from legatum.work.steps.transfer import is_with_gaining, standing_of


class Follow(Action):
    async def seen(self) -> Outcome | None:
        job, standing = self.job, await standing_of(self.job)
        if standing is not None and not standing.pending and not standing.approved:
            raise GateShut(
                f"the transfer did not happen: {standing.status}",
                f"ask {standing.acting} why; then "
                f"`legatum move advance {name_text(job.domain)} --again {REQUEST}`, or `legatum move retreat {name_text(job.domain)}`",
            )
        if not await is_with_gaining(job):
            return None
        told = await self._messages()
        when = parse_instant(standing.acts_by) if standing is not None else self.now()
        how = {"serverApproved": "by itself", "clientApproved": f"{job.losing.name} let it go"}.get(
            standing.status if standing else "", "seen"
        )
        return self.outcome(when, when, f"{job.gaining.name} has the domain ({how}){told}")

    async def awaited(self) -> Bound | None:
        """Until when somebody else may act; None once that has passed."""
        standing = await standing_of(self.job)
        until = parse_instant(standing.acts_by) if standing is not None else self.job.outcomes[REQUEST].all + BY_ITSELF
        if until <= self.now():
            return None
        who = standing.acting if standing is not None else str(self.job.runbook.premises["registered_with"])
        reason = f"{who} may approve or reject until then; when nobody acts the transfer happens by itself (rule 13)"
        return Bound(until, reason, 13, ((until, reason),))

    async def perform(self) -> Outcome:
        async def missing() -> str:
            return "" if await is_with_gaining(self.job) else f"the registry still has it with {self.job.losing.name}"

        await self.job.outside.until_seen(missing, f"the transfer of {name_text(self.job.domain)}")
        outcome = await self.seen()
        assert outcome is not None
        return outcome

    async def _messages(self) -> str:
        """What the registries' queues say of this domain is read and taken off them; messages about others are left."""
        told = []
        for account in (self.job.gaining, self.job.losing):
            if not account.by_hand:
                read = await account.messages(lambda message: message.about == self.job.domain)
                told += [message.text for message in read if message.taken]
        return f"; read from the queues: {'; '.join(dict.fromkeys(told))}" if told else ""
