"""A way back that is given up: what it had taken back is done again, with the holds of every other plan, and the move
goes on.

What was done, either way, stays in the runbook as steps of its own. So what caches may remember needs no second
description, and a later way back finds what is in force by letting steps that undo each other cancel out.
"""

from collections.abc import Mapping
from dataclasses import replace

from legatum.core.calendar.timing import Caution
from legatum.core.moves.assembly import resolved
from legatum.core.moves.effects import Agreed
from legatum.core.moves.retreat import SUFFIX, Begun, draft_retreat
from legatum.core.moves.runbook import Runbook, Step


def resumed(
    move: Runbook, begun: Mapping[str, Begun], retreat: Runbook, begun_back: Mapping[str, Begun], now: float
) -> Runbook:
    """The move, going forward again. ``begun``, ``begun_back``: steps of the move, and of its way back, as
    :func:`draft_retreat` has them.

    Steps of the way back are called as :func:`given_up` says.
    """
    number = move.rounds + 1
    back = [replace(each, id=given_up(each.id, number)) for each in retreat.steps if each.id in begun_back]
    done, left = ([each for each in move.steps if (each.id in begun) is there] for there in (True, False))
    confirmed_later = any(isinstance(effect, Agreed) for step in left for effect in step.effects)
    again = [
        replace(each, id=f"{_bare(each)}-again-{number}")
        for each in draft_retreat(retreat, begun_back, now).steps
        if not (confirmed_later and any(isinstance(effect, Agreed) for effect in each.effects))
    ]
    caution = Caution(move.premises.floor, move.premises.time_out, move.margin)
    steps = resolved([*done, *back, *again, *left], move.premises, move.past, caution)
    return replace(move, drafted=now, steps=steps)


def given_up(ident: str, number: int) -> str:
    """What a step of the way back is called in the move that goes on."""
    return f"{ident}-given-up-{number}"


def _bare(step: Step) -> str:
    return step.id.replace(SUFFIX, "")
