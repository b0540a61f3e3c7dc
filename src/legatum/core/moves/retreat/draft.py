"""The runbook of the way back, drawn from what was done of a move."""

from collections.abc import Mapping
from dataclasses import dataclass

from legatum.core.calendar.timing import Caution
from legatum.core.moves.assembly import play, runbook_of
from legatum.core.moves.effects import (
    Delegated,
    Records,
    ZoneMade,
)
from legatum.core.moves.retreat.in_force import SUFFIX, in_force
from legatum.core.moves.retreat.keys_anew import keys_anew
from legatum.core.moves.retreat.way import BackwardPlan
from legatum.core.moves.runbook import Past, Runbook, Step, shown_by
from legatum.core.moves.timeline import timeline_at_the_beginning
from legatum.core.records.name import Name
from legatum.core.records.rrtype import NS

BACK = "back: "
"""What the wish of a way back begins with, in words; then comes what is taken back."""


@dataclass(frozen=True, slots=True)
class Begun:
    """When a step was begun, and since when it is true of all servers; None where that is not known."""

    first: float
    everywhere: float | None


def draft_retreat(move: Runbook, begun: Mapping[str, Begun], now: float) -> Runbook:
    """The runbook of the way back. ``begun``: steps of the move with an outcome, or of which it is not known how they
    ended. It has no steps where nothing outside was changed."""
    done = [step for step in move.steps if step.id in begun]
    past = [*move.past, *(_remembered(move, step, begun) for step in done if step.changes or step.takes_away)]
    timeline, beginning = timeline_at_the_beginning(move.premises), timeline_at_the_beginning(move.premises)
    for each in past:
        play(timeline, each.effects, 0, each.label)
    for each in move.past if move.retreating else ():
        play(beginning, each.effects, 0, each.label)
    done = in_force(done)
    unmaking = {(each.place, each.zone) for step in done for each in step.effects if isinstance(each, ZoneMade)}
    way = BackwardPlan(
        move, beginning, timeline, _led(done), unmaking, begun, now, keys_anew(beginning, timeline, done)
    )
    pieces = [piece for step in reversed(done) for effect in reversed(step.effects) for piece in way.back(step, effect)]
    if pieces:
        pieces += way.shared()
    caution = Caution(move.premises.floor, move.premises.time_out, move.margin)
    words = f"{BACK}{move.wish}"
    ident = move.id + SUFFIX + (f"-{move.rounds}" if move.rounds else "")
    return runbook_of(ident, words, now, move.premises, pieces, past, caution, move.domain, back_of=move.id)


def _remembered(move: Runbook, step: Step, begun: Mapping[str, Begun]) -> Past:
    looks = [look for effect in step.effects if (look := shown_by(move, step, effect)) is not None]
    last = (
        begun[looks[0].id].everywhere
        if looks and looks[0].id in begun
        else None
        if looks
        else begun[step.id].everywhere
    )
    return Past(f"{step.id} before", step.effects, begun[step.id].first, last)


def _led(done: list[Step]) -> set[Name]:
    """Zones of which an NS set was changed to other servers, anywhere."""
    found = set()
    for step in done:
        for effect in step.effects:
            if isinstance(effect, Delegated):
                found.add(effect.domain)
            elif isinstance(effect, Records):
                found |= {
                    each.key[0]
                    for each in effect.changed
                    if each.key[1] == NS
                    and not (each.before and each.after and each.before.rdatas == each.after.rdatas)
                }
    return found
