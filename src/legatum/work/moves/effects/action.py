"""What every action has in common."""

from typing import Generic, TypeVar

from legatum.core.calendar.timing import Bound
from legatum.core.moves.drift.position import Refusal
from legatum.core.moves.effects import Effect
from legatum.core.moves.outcome import Outcome
from legatum.work.moves.step_context import StepContext

E = TypeVar("E", bound=Effect)


class Action(Generic[E]):
    """Override what applies. ``seen`` looks whether the effect is there already, so that nothing is done twice."""

    shows = True
    """Whether looking can show that it has been done."""

    def __init__(self, job: StepContext, effect: E) -> None:
        self.job = job
        self.effect = effect

    async def gate(self) -> list[Refusal]:
        """What must hold and does not; empty when the step may go ahead."""
        return []

    async def preview(self) -> list[str]:
        """Old → new, a line each, for a step that changes something."""
        return []

    async def seen(self) -> Outcome | None:
        """The outcome, where looking shows that the effect is there already."""
        return None

    async def visible(self) -> bool:
        """Whether looking can show it here and now; else who did it by hand has to say so."""
        return self.shows

    async def awaited(self) -> Bound | None:
        """Until when somebody else may have to act first, and why; None when it is our turn."""
        return None

    async def perform(self) -> Outcome:
        """Does it and proves it. Raises :class:`OutsideFault`."""
        raise AssertionError(f"{type(self).__name__} does nothing")

    def outcome(self, first: float, everywhere: float, summary: str, **facts: object) -> Outcome:
        return Outcome(self.job.step.id, first, everywhere, summary, facts)

    def now(self) -> float:
        return self.job.context.clock.now()
