"""A step as a whole: its effects one after the other, told as one."""

from typing import Any

from legatum.core.calendar.timing import Bound
from legatum.core.moves.drift.position import Refusal
from legatum.core.moves.outcome import Outcome
from legatum.services.registrar import ByHand
from legatum.work.moves.effects.action import Action
from legatum.work.moves.effects.registry import actions_of
from legatum.work.moves.step_context import StepContext


class WholeStep:
    """As an action of several effects. What was agreed to is what is done: gate and preview look once, and the doing
    uses what they saw."""

    def __init__(self, job: StepContext) -> None:
        self.job = job
        self._actions = actions_of(job)
        self.shown: list[str] = []  # old → new, as it was agreed to

    @property
    def shows(self) -> bool:
        """Whether looking can show that it has been done."""
        return all(each.shows for each in self._actions)

    async def seen(self) -> Outcome | None:
        """The outcome, where looking shows that every effect is there already."""
        found = [await each.seen() for each in self._actions]
        there = [each for each in found if each is not None]
        return _joined(there) if len(there) == len(found) else None

    async def visible(self) -> bool:
        return all([await each.visible() for each in self._actions])

    async def awaited(self) -> Bound | None:
        found = [bound for each in self._actions if (bound := await each.awaited()) is not None]
        return max(found, key=lambda bound: bound.instant) if found else None

    async def gate(self) -> list[Refusal]:
        return [refusal for each in self._actions for refusal in await each.gate()]

    async def preview(self) -> list[str]:
        self.shown = [line for each in self._actions for line in await each.preview()]
        return self.shown

    async def perform(self, as_said: bool = False) -> Outcome:
        """What is there already is not done again. ``as_said``: what only a person can do, and nothing shows from here,
        is taken to be done. Raises :class:`OutsideFault`."""
        done = []
        for each in self._actions:
            there = await each.seen() if self._actions[1:] else None
            done.append(there if there is not None else await self._performed(each, as_said))
        self.job.cache.forget()
        return _joined(done)

    async def _performed(self, action: Action[Any], as_said: bool) -> Outcome:
        try:
            return await action.perform()
        except ByHand as by_hand:
            if not as_said or await action.visible():
                raise
            return action.outcome(
                now := action.now(), now, f"typed at {by_hand.registrar}, as was said; nothing shows it from here"
            )


def _joined(outcomes: list[Outcome]) -> Outcome:
    """One outcome of several: from the first server of the first one to the last server of the last one."""
    facts = {key: value for each in outcomes for key, value in each.facts.items()}
    first, last = min(each.first for each in outcomes), max(each.all for each in outcomes)
    return Outcome(outcomes[0].step, first, last, "; ".join(each.summary for each in outcomes), facts)
