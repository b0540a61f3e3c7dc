"""Beginning the way back of a move, or going on with it."""

from dataclasses import replace
from pathlib import Path

from legatum.core.moves.effects import Followed, Transfer
from legatum.core.moves.outcome import Outcome
from legatum.core.moves.resumption import given_up, resumed
from legatum.core.moves.retreat import Begun, draft_retreat
from legatum.core.moves.runbook import Runbook, next_step
from legatum.core.records.name import name_text
from legatum.core.running.fault import GateShut
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
        raise GateShut(
            f"{domain}: the transfer has happened", "there is no way back but another transfer, sixty days later"
        )
    retreat = draft_retreat(move, begun, now)
    if not retreat.steps:
        said = (
            "nothing that this move changed is left to be taken back"
            if begun
            else "nothing outside has been changed by this move"
        )
        raise GateShut(f"{domain}: {said}", f"there is nothing to take back; {path} may be deleted")
    if keep:
        write_move(there, retreat)
    return retreat, there


def give_up(move: Runbook, path: Path, journal: Journal, now: float) -> Runbook:
    """The move goes on forward: what its way back had taken back is done again first. The way back's file is gone
    afterwards.

    Raises :class:`GateShut` where no way back is under way, or a transfer was cancelled by it.
    """
    there, domain = retreat_path(path), name_text(move.domain)
    if not there.exists():
        raise GateShut(
            f"{domain}: nothing is being taken back", f"`legatum move status {domain}` says where the move stands"
        )
    retreat = read_move(there)
    if move.drafted <= retreat.drafted:  # else it was given up already, and only the file is left
        if next_step(retreat, journal.outcomes(retreat.id)) is None:
            raise GateShut(f"{domain}: everything has been taken back", "draft the move anew")
        back, begun = begun_of(retreat, journal), begun_of(move, journal)
        if any(isinstance(effect, Transfer) for step in retreat.steps if step.id in back for effect in step.effects):
            raise GateShut(f"{domain}: the transfer was cancelled", "draft another one; this one cannot go on")
        if any(step.changes for step in retreat.steps if step.id in back):
            number = move.rounds + 1
            resumption = resumed(move, begun, retreat, back, now)
            known = [(each, each, begun) for each in begun] + [(each, given_up(each, number), back) for each in back]
            outcomes = journal.outcomes(move.id) | journal.outcomes(retreat.id)
            for ident, called, times in known:
                found = outcomes.get(ident) or Outcome(
                    ident, times[ident].first, now, "begun, and not known to have ended"
                )
                if called not in journal.outcomes(move.id):
                    journal.settle(move.id, move.domain, replace(found, step=called), now, ())
            move = resumption
            write_move(path, move)
    there.unlink()
    return move


def _is_final(effect: object) -> bool:
    return isinstance(effect, Followed) or (isinstance(effect, Transfer) and effect.op == "approve")


def begun_of(move: Runbook, journal: Journal) -> dict[str, Begun]:
    """When each step was begun that was ever intended or done; one without an outcome may have been done or not."""
    outcomes, intents = journal.outcomes(move.id), journal.intents(move.id)
    return {
        step.id: Begun(outcome.first, outcome.all)
        if (outcome := outcomes.get(step.id))
        else Begun(intents[step.id], None)
        for step in move.steps
        if step.id in outcomes or step.id in intents
    }


def refuse_while_retreating(move: Runbook, path: Path) -> None:
    """Raises :class:`GateShut` for a move that is being taken back."""
    if retreat_path(path).exists():
        domain = name_text(move.domain)
        raise GateShut(
            f"{domain}: this move is being taken back",
            f"go on with that: `legatum move retreat {domain}`; or give it up: "
            f"`legatum move retreat {domain} --give-up`",
        )
