"""A domain that a move is leading somewhere else: who changes it beside the move undoes one of the two."""

from collections.abc import Iterable

from legatum.core.calendar.instant import instant_text
from legatum.core.moves.effects import Records, ZoneMade
from legatum.core.moves.place import RRsetKey
from legatum.core.moves.runbook import Runbook, hold_of, next_step
from legatum.core.records.name import Name, name_text
from legatum.core.running.fault import GateShut
from legatum.work.movefile import is_over, move_path, read_move, retreat_path
from legatum.work.recall import open_move
from legatum.work.run_context import RunContext


def refuse_under_way(context: RunContext, domain: Name, keys: Iterable[RRsetKey] | None = None) -> None:
    """Raises :class:`GateShut` while a move of its DNS has changed something outside and is not over. ``keys``: what is
    to be edited, None for the delegation: an edit of what the move neither changes nor copies is beside it."""
    path = move_path(context, domain)
    if not path.exists() or is_over(path, context.journal):
        return
    move = read_move(path)
    begun = context.journal.begun(move.id)
    if not move.changes_answers or not any(step.changes and step.id in begun for step in move.steps):
        return
    if keys is not None and not _copies(move, domain) and not _changed(move, domain) & set(keys):
        return
    text, way = name_text(domain), "taken back" if retreat_path(path).exists() else _words(move.wish)
    raise GateShut(
        f"{text} is being {way}: an edit beside the move would undo it, or be lost with one side",
        f"wait for its end (`legatum move status {text}`), or make the same edit on both sides, each with --anyway",
    )


def pending_text(context: RunContext, domain: Name) -> str:
    """What is still to come of a move that has been begun, in words; empty where nothing is."""
    path = move_path(context, domain)
    if not path.exists() or is_over(path, context.journal):
        return ""
    move, now = open_move(context, path), context.clock.now()
    outcomes = context.journal.outcomes(move.id)
    step = next_step(move, outcomes)
    if step is None or not outcomes:
        return ""
    bound = hold_of(move, step, outcomes, now)
    when = f", not before {instant_text(bound.instant)}" if bound is not None and bound.instant > now else ""
    return f"{step.title}{when}"


def _copies(move: Runbook, domain: Name) -> bool:
    """The zone is served by two sides that must stay the same."""
    return any(isinstance(each, ZoneMade) and each.zone == domain for step in move.steps for each in step.effects)


def _changed(move: Runbook, domain: Name) -> set[RRsetKey]:
    effects = [
        each for step in move.steps for each in step.effects if isinstance(each, Records) and each.zone == domain
    ]
    return {each.key for effect in effects for each in effect.changed}


def _words(wish: str) -> str:
    return f"moved {wish}" if wish.startswith("from ") else f"changed ({wish})"
