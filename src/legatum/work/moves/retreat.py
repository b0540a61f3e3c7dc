"""Beginning the way back of a move, or going on with it."""

from pathlib import Path

from legatum.core.fault import GateShut
from legatum.core.moves.effects import Followed, Transfer
from legatum.core.moves.retreat import Begun, draft_retreat
from legatum.core.moves.runbook import Runbook
from legatum.core.records.name import name_text
from legatum.journal.journal import Journal
from legatum.work.movefile import read_move, retreat_path, write_move


def open_retreat(move: Runbook, path: Path, journal: Journal, now: float, keep: bool = True) -> tuple[Runbook, Path]:
    """The way back and its file: the one begun before, or one drafted now from what was done, and kept if ``keep``.

    Raises :class:`GateShut` when nothing outside was changed, or from where there is no way back.
    """
    there = retreat_path(path)
    if there.exists():
        return read_move(there), there
    domain = name_text(move.domain)
    begun = begun_of(move, journal)
    if any(step.id in begun for step in move.steps if any(_is_final(each) for each in step.effects)):
        raise GateShut(f"{domain}: the transfer has happened", "there is no way back but another transfer, sixty days later")
    retreat = draft_retreat(move, begun, now)
    if not retreat.steps:
        raise GateShut(f"{domain}: nothing outside has been changed by this move", f"there is nothing to take back; {path} may be deleted")
    if keep:
        write_move(there, retreat)
    return retreat, there


def _is_final(effect: object) -> bool:
    return isinstance(effect, Followed) or (isinstance(effect, Transfer) and effect.op == "approve")


def begun_of(move: Runbook, journal: Journal) -> dict[str, Begun]:
    """When each step was begun that was ever intended or done; one without an outcome may have been done or not."""
    outcomes, intents = journal.outcomes(move.id), journal.intents(move.id)
    return {
        step.id: Begun(outcome.first, outcome.all) if (outcome := outcomes.get(step.id)) else Begun(intents[step.id], None)
        for step in move.steps
        if step.id in outcomes or step.id in intents
    }


def refuse_while_retreating(move: Runbook, path: Path) -> None:
    """Raises :class:`GateShut` for a move that is being taken back."""
    if retreat_path(path).exists():
        domain = name_text(move.domain)
        raise GateShut(
            f"{domain}: this move is being taken back", f"go on with that: `legatum move retreat {domain}`; or have a new plan drawn from "
            "what is so now, with the wish of the move and --force"
        )  # fmt: skip
