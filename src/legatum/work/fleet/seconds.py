"""A second provider for many zones: told of all of them together, then each brought into step and named by a move of
its own."""

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from legatum.core.calendar.timing import Bound
from legatum.core.moves.outcome import Outcome
from legatum.core.moves.runbook import Runbook, Step
from legatum.core.moves.wishes import Wishes
from legatum.core.records.name import Name
from legatum.core.running.fault import Fault, GateShut
from legatum.net.side_by_side import side_by_side
from legatum.services.registrar import ByHand
from legatum.work.drafting.draft import draft_move
from legatum.work.drafting.second import open_seconding, tell
from legatum.work.movefile import is_over, is_untouched, move_path, read_move, write_move
from legatum.work.moves.advance import AdvanceOptions, Halt, advance
from legatum.work.run_context import RunContext


@dataclass(frozen=True)
class Joined:
    """One domain of many. ``state``: ``ready``, ``unchanged``, ``joined`` or ``failed``; ``done``: what was done, or
    why it could not."""

    domain: Name
    state: str
    done: tuple[str, ...] = ()
    remedy: str = ""


@dataclass(frozen=True)
class Drafted:
    """A move that waits for a yes."""

    wish: Wishes
    runbook: Runbook
    path: Path


async def draft_many(context: RunContext, wishes: Sequence[Wishes]) -> dict[Name, Drafted | Joined]:
    """A move for each; where nothing is left to do, or none can be drafted, how that is. Nothing is written yet."""

    async def one(wish: Wishes) -> Drafted | Joined:
        path = move_path(context, wish.domain)
        try:
            if path.exists() and not is_over(path, context.journal):
                there = read_move(path)
                if there.wish == wish.words:
                    return Drafted(wish, there, path)
                if not is_untouched(there, context.journal):
                    raise GateShut(f"{path}: another move of this domain is under way", "finish it, or take it back")
            runbook, _ = await draft_move(context, wish, lambda _: None)
            if not any(step.changes for step in runbook.steps):
                return Joined(wish.domain, "unchanged")
            return Drafted(wish, runbook, path)
        except Fault as fault:
            return Joined(wish.domain, "failed", (fault.message,), fault.remedy)

    return dict(zip((each.domain for each in wishes), await side_by_side(one, wishes), strict=True))


async def join_many(context: RunContext, drafted: Sequence[Drafted], wait: bool) -> list[Joined]:
    """All told together, then each carried out; one that fails holds up none of the others."""
    secondings = [open_seconding(context, each.wish.domain, each.wish.old, each.wish.second) for each in drafted]
    by_catalog = [each for each in secondings if each.section.catalog]
    if by_catalog:
        await tell(context, by_catalog)

    async def one(each: Drafted) -> Joined:
        said: list[str] = []
        try:
            write_move(each.path, each.runbook)
            halted = await advance(context, each.runbook, each.path, context.journal, _quietly(wait, said))
        except Fault as fault:
            return Joined(each.wish.domain, "failed", (*said, fault.message), fault.remedy)
        if halted.halt == Halt.COMPLETE:
            return Joined(each.wish.domain, "joined", tuple(said))
        reasons = [halted.bound.reason] if halted.bound else [reason for reason, _ in halted.reasons]
        remedy = next((remedy for _, remedy in halted.reasons if remedy), "the same command again")
        return Joined(
            each.wish.domain, "failed" if halted.halt == Halt.REFUSED else "holding", (*said, *reasons), remedy
        )

    return await side_by_side(one, drafted)


def _quietly(wait: bool, said: list[str]) -> AdvanceOptions:
    """Everything is agreed to already; what was done is kept."""

    def done(step: Step, outcome: Outcome) -> None:
        if step.changes:
            said.append(outcome.summary)

    def nothing(*_: Step | Bound | ByHand | str) -> None:
        pass

    return AdvanceOptions(wait, lambda *_: True, nothing, nothing, done, nothing, nothing)
