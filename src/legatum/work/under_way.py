"""A domain that a move is leading somewhere else: who changes it beside the move undoes one of the two."""

from legatum.core.fault import GateShut
from legatum.core.name import Name, name_text
from legatum.core.runbook import TRANSFER
from legatum.work.movefile import is_over, move_path, read_move, retreat_path
from legatum.work.outside import Outside


def refuse_under_way(outside: Outside, domain: Name) -> None:
    """Raises :class:`GateShut` while a move of its DNS has changed something outside and is not over."""
    path = move_path(outside, domain)
    if not path.exists() or is_over(path, outside.journal):
        return
    move = read_move(path)
    begun = outside.journal.begun(move.id)
    if move.kind == TRANSFER or not any(step.changes and step.id in begun for step in move.steps):
        return
    text, way = (
        name_text(domain),
        "taken back" if retreat_path(path).exists() else f"moved from {move.premises['from']} to {move.premises['to']}",
    )
    raise GateShut(
        f"{text} is being {way}: an edit beside the move would undo it, or be lost with one side",
        f"wait for its end (`legatum move status {text}`), or make the same edit on both sides, each with --anyway",
    )
