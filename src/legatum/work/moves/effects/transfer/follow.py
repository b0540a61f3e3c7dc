"""Following a transfer until it is over: the losing registrar lets go, or five days pass (docs/timing.md, rule 13)."""

from legatum.core.calendar.instant import parse_instant
from legatum.core.calendar.timing import Bound
from legatum.core.moves.effects import Followed
from legatum.core.moves.kinds.registrar_transfer import BY_ITSELF, REQUEST
from legatum.core.moves.outcome import Outcome
from legatum.core.records.name import name_text
from legatum.core.running.fault import GateShut
from legatum.work.moves.effects.transfer.request import OfTransfer


class FollowTransfer(OfTransfer[Followed]):
    async def seen(self) -> Outcome | None:
        state, text = await self.state(), name_text(self.job.domain)
        if state is not None and not state.pending and not state.approved:
            raise GateShut(
                f"the transfer did not happen: {state.status}",
                f"ask {state.acting} why; then `legatum move advance {text} --again {REQUEST}`, or `legatum "
                f"move retreat {text}`",
            )
        if not await self.is_with_gaining():
            return None
        told = await self._messages()
        when = parse_instant(state.acts_by) if state is not None else self.now()
        ways = {"serverApproved": "by itself", "clientApproved": f"{self.losing.name} let it go"}
        how = ways.get(state.status if state else "", "seen")
        return self.outcome(when, when, f"{self.gaining.name} has the domain ({how}){told}")

    async def awaited(self) -> Bound | None:
        """Until when somebody else may act; None once that has passed."""
        state = await self.state()
        until = parse_instant(state.acts_by) if state is not None else self.job.outcomes[REQUEST].all + BY_ITSELF
        if until <= self.now():
            return None
        who = state.acting if state is not None else self.effect.known_as
        reason = f"{who} may approve or reject until then; when nobody acts the transfer happens by itself (rule 13)"
        return Bound(until, reason, 13, ((until, reason),))

    async def perform(self) -> Outcome:
        async def missing() -> str:
            return "" if await self.is_with_gaining() else f"the registry still has it with {self.losing.name}"

        await self.job.context.until_seen(missing, f"the transfer of {name_text(self.job.domain)}")
        outcome = await self.seen()
        assert outcome is not None
        return outcome

    async def _messages(self) -> str:
        """What the registries' queues say of this domain is read and taken off them; messages about others are left."""
        told = []
        for account in (self.gaining, self.losing):
            if not account.by_hand:
                read = await account.messages(lambda message: message.about == self.job.domain)
                told += [message.text for message in read if message.taken]
        return f"; read from the queues: {'; '.join(dict.fromkeys(told))}" if told else ""
