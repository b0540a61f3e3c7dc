"""Beginning the way back of a move, or going on with it."""

from pathlib import Path

from legatum.core.fault import GateShut
from legatum.core.moves import transfer
from legatum.core.moves.retreat import draft_retreat
from legatum.core.name import name_text
from legatum.core.runbook import TRANSFER, Runbook
from legatum.journal.journal import Journal
from legatum.work.movefile import read_move, retreat_path, write_move


def open_retreat(move: Runbook, path: Path, journal: Journal, now: float, keep: bool = True) -> tuple[Runbook, Path]:
    """The way back and its file: the one begun before, or one drafted now from what was done, and kept if ``keep``.

    Raises :class:`GateShut` when nothing outside was changed.
    """
    there = retreat_path(path)
    if there.exists():
        return read_move(there), there
    domain, begun = name_text(move.domain), journal.begun(move.id)
    if move.kind == TRANSFER:
        drafted = transfer.draft_retreat(move, begun, list(journal.outcomes(move.id)), now)
        if drafted is None:
            raise GateShut(f"{domain}: the transfer has happened", "there is no way back but another transfer, sixty days later")
        retreat = drafted
    else:
        retreat = draft_retreat(move, begun, now)
    if not retreat.steps:
        raise GateShut(f"{domain}: nothing outside has been changed by this move", f"there is nothing to take back; {path} may be deleted")
    if keep:
        write_move(there, retreat)
    return retreat, there


def refuse_while_retreating(move: Runbook, path: Path) -> None:
    """Raises :class:`GateShut` for a move that is being taken back."""
    if retreat_path(path).exists():
        domain = name_text(move.domain)
        raise GateShut(f"{domain}: this move is being taken back", f"go on with that: `legatum move retreat {domain}`")
