"""What of the steps that were done is in force: what one did and a later one has undone is neither."""

import re
from collections.abc import Iterator, Sequence
from dataclasses import replace

from legatum.core.moves.effects import (
    Effect,
    Records,
    Signed,
    ZoneEnded,
    ZoneMade,
)
from legatum.core.moves.runbook import Step

SUFFIX = "-back"
"""Of the ids of a way back, and of its steps."""
_TURNED = re.compile(rf"{SUFFIX}|-again-|-given-up-")


def in_force(done: Sequence[Step]) -> list[Step]:
    """The steps with those of their effects that no later one has undone."""
    left: list[tuple[Step, Effect]] = []
    for step in done:
        for effect in (part for each in step.effects for part in _parts(each)):
            undone = next(
                (
                    each
                    for each in reversed(left)
                    if _undoes(effect, each[1]) and not _both_planned(step, each[0], effect)
                ),
                None,
            )
            if undone is None:
                left.append((step, effect))
            else:
                left.remove(undone)
    found = [replace(step, effects=tuple(_whole([effect for each, effect in left if each is step]))) for step in done]
    return [step for step in found if step.effects]


def _parts(effect: Effect) -> list[Effect]:
    """Each RRset by itself."""
    return [replace(effect, changed=(each,)) for each in effect.changed] if isinstance(effect, Records) else [effect]


def _undoes(later: Effect, earlier: Effect) -> bool:
    if isinstance(later, ZoneMade | ZoneEnded) and isinstance(earlier, ZoneMade | ZoneEnded):
        return type(later) is not type(earlier) and (later.place, later.zone) == (earlier.place, earlier.zone)
    return later == earlier.reverse()


def _both_planned(later: Step, earlier: Step, effect: Effect) -> bool:
    """Keys that are shared for a time by the plan itself are shared again for the way back."""
    return isinstance(effect, Signed) and not any(map(_TURNED.search, (later.id, earlier.id)))


def _whole(parts: Sequence[Effect]) -> Iterator[Effect]:
    """RRsets of one zone at one place together again."""
    for at, each in enumerate(parts):
        if not isinstance(each, Records):
            yield each
            continue
        alike = [
            one for one in parts if isinstance(one, Records) and replace(one, changed=()) == replace(each, changed=())
        ]
        if alike[0] is parts[at]:
            yield replace(each, changed=tuple(change for one in alike for change in one.changed))
