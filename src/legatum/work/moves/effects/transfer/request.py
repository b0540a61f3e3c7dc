"""A registrar transfer: asked for at the gaining registrar, approved at the losing one, or cancelled (docs/timing.md,
rule 13)."""

import secrets
from typing import TypeVar

from legatum.core.calendar.instant import parse_instant
from legatum.core.moves.drift.position import Refusal
from legatum.core.moves.effects import Effect, Transfer
from legatum.core.moves.kinds.registrar_transfer import REQUEST, TRANSFER_LOCK
from legatum.core.moves.outcome import Outcome
from legatum.core.records.name import name_text
from legatum.core.running.fault import GateShut, OutsideFault
from legatum.services.registrar import Registrar
from legatum.services.registrar import Transfer as TransferState
from legatum.work.moves.effects.action import Action
from legatum.work.moves.effects.transfer.fit import transfer_refusals
from legatum.work.registry.held import look_at_held

T = TypeVar("T", bound=Effect)


class OfTransfer(Action[T]):
    """What actions about a transfer between two accounts share. Their effects name both."""

    @property
    def losing(self) -> Registrar:
        return self.job.registrar(str(self._named("losing")))

    @property
    def gaining(self) -> Registrar:
        return self.job.registrar(str(self._named("gaining")))

    def _named(self, field: str) -> object:
        return getattr(self.effect, field)

    async def state(self) -> TransferState | None:
        """Where the transfer stands, by the account that can tell; None where there is none, or neither can.

        A transfer of an earlier time, to somebody else or over before this one was drafted, is none.
        """
        for account in (self.gaining, self.losing):
            if not account.by_hand and (found := await self._state_at(account)) is not None:
                return found
        return None

    async def _state_at(self, account: Registrar) -> TransferState | None:
        try:
            found = await account.transfer_state(self.job.domain)
        except OutsideFault as fault:
            if getattr(fault, "code", None) is None:
                raise
            return None  # this registrar may not ask; the other one may
        # Registries write whole seconds: the second of the drafting counts as after it.
        return found if found is not None and parse_instant(found.asked) >= int(self.job.runbook.drafted) else None

    async def is_with_gaining(self) -> bool:
        held, account = await look_at_held(self.job.context, self.job.domain, self.gaining, self.losing)
        if account is not None:
            return account.name == self.gaining.name
        return held.registrar != str(self._named("known_as"))


def new_code() -> str:
    """An authorisation code that nobody can guess: letters, digits and a sign of each kind that registries ask for."""
    return f"{secrets.token_urlsafe(12)}a9-Z"


class CarryTransfer(OfTransfer[Transfer]):
    """``op`` says which of the three."""

    async def gate(self) -> list[Refusal]:
        return await {"request": self._request_gate, "approve": self._approve_gate}.get(self.effect.op, self._no_gate)()

    async def preview(self) -> list[str]:
        text, one, other = name_text(self.job.domain), self.effect.losing, self.effect.gaining
        if self.effect.op == "request":
            return [f"{text}: {one} → {other}{f', {self.effect.years} year added' if self.effect.years else ''}"]
        if self.effect.op == "approve":
            return [f"{one} lets {text} go to {other}"]
        return [f"the transfer of {text} to {other}: pending → cancelled"]

    async def seen(self) -> Outcome | None:
        return await {"request": self._request_seen, "approve": self._approve_seen}.get(
            self.effect.op, self._cancel_seen
        )()

    async def perform(self) -> Outcome:
        return await {"request": self._request, "approve": self._approve}.get(self.effect.op, self._cancel)()

    async def _no_gate(self) -> list[Refusal]:
        return []

    async def _request_gate(self) -> list[Refusal]:
        held, _ = await look_at_held(self.job.context, self.job.domain, self.losing)
        refusals = await transfer_refusals(self.job.context, held, self.losing, pending=False)
        if TRANSFER_LOCK in held.statuses:
            refusals.append(
                Refusal(
                    "the transfer lock is set", "find out who set it, then draft again or go on with --again unlock"
                )
            )
        return refusals

    async def _request_seen(self) -> Outcome | None:
        state, now = await self.state(), self.now()
        if state is not None and (state.pending or state.approved):
            return self._outcome_of(state)
        held, _ = await look_at_held(self.job.context, self.job.domain, self.gaining, self.losing)
        if state is None and ("pendingTransfer" in held.statuses or await self.is_with_gaining()):
            return self.outcome(now, now, "the registry says that a transfer is pending, or has happened")
        return None

    async def _request(self) -> Outcome:
        domain = self.job.domain
        if self.gaining.by_hand:
            await self.gaining.transfer(domain, "request")
        said = await self.gaining.transfer(domain, "request", await self._code(), self.effect.years)
        state = await self.state()
        if state is None:
            raise OutsideFault(
                f"{self.gaining.name} said {said}, but the registry knows of no transfer",
                "look at the registrar's own pages",
            )
        return self._outcome_of(state)

    def _outcome_of(self, state: TransferState) -> Outcome:
        now = self.now()
        words = f"{state.status}; {state.acting} may act until {state.acts_by}" if state.pending else state.status
        return self.outcome(now, now, f"asked for by {state.asking}: {words}", acts_by=state.acts_by)

    async def _code(self) -> str:
        """From the losing account, set anew where it is not told; else from where the move file says. It is kept
        nowhere."""
        if reference := self.job.context.code_reference or self.effect.code:
            return self.job.context.secret(reference)
        found = await self.losing.code(self.job.domain)
        if not found:
            found = new_code()
            await self.losing.change_code(self.job.domain, found)
        return found

    async def _approve_gate(self) -> list[Refusal]:
        state = await self.state()
        if state is None or not state.pending:
            remedy = f"ask for it again: `legatum move advance {name_text(self.job.domain)} --again {REQUEST}`"
            return [Refusal("no transfer is pending", remedy)]
        return []

    async def _approve_seen(self) -> Outcome | None:
        state, now = await self.state(), self.now()
        return self.outcome(now, now, state.status) if state is not None and state.approved else None

    async def _approve(self) -> Outcome:
        first = self.now()
        said = await self.losing.transfer(self.job.domain, "approve")
        return self.outcome(first, self.now(), said)

    async def _cancel_seen(self) -> Outcome | None:
        state, now = await self.state(), self.now()
        if await self.is_with_gaining():
            raise GateShut("the transfer has happened", "there is no way back but another transfer, sixty days later")
        if state is not None and not state.pending:
            return self.outcome(now, now, f"the transfer is not pending: {state.status}")
        held, _ = await look_at_held(self.job.context, self.job.domain, self.losing)
        return None if "pendingTransfer" in held.statuses else self.outcome(now, now, "no transfer is pending")

    async def _cancel(self) -> Outcome:
        first, domain = self.now(), self.job.domain
        if self.gaining.by_hand and not self.losing.by_hand:
            said = await self.losing.transfer(domain, "reject")
        else:
            said = await self.gaining.transfer(domain, "cancel")
        return self.outcome(first, self.now(), said)
