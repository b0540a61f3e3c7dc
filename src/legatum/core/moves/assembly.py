"""Pieces of a plan put in order, and their needs turned into waits.

Each kind of change contributes pieces: a step, the phase that it belongs to, and what must be true of caches before it.
Phases make the order, whatever is combined: everything new stands and is known before anything leads there, and nothing
is taken away before the last cache has left it.
"""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from enum import IntEnum

from legatum.core.calendar.timing import Caution, Wait
from legatum.core.moves.effects import Effect
from legatum.core.moves.needs import Need, NoLongerQueried
from legatum.core.moves.place import Premises
from legatum.core.moves.runbook import Past, Runbook, Step
from legatum.core.moves.timeline import Timeline, timeline_at_the_beginning
from legatum.core.moves.waiting.ns_waits import still_led
from legatum.core.moves.waiting.waits import waits_for
from legatum.core.records.name import Name


class Phase(IntEnum):
    """In which order the steps of a plan come."""

    GATHER = 0
    MAKE = 1
    COMPARE = 2
    LOWER = 3
    TRUST = 4
    READY = 5
    CHANGE = 6
    SWITCH = 7
    SEEN = 8
    CONFIRM = 9
    RAISE = 10
    LEAVE = 11
    END = 12
    CONNECT = 13
    REGISTRAR = 14
    CLOSE = 15


@dataclass(frozen=True, slots=True)
class PlannedStep:
    """One step, not yet in its place."""

    phase: Phase
    step: Step
    needs: tuple[Need, ...] = ()


def assemble(
    pieces: Iterable[PlannedStep], premises: Premises, past: Sequence[Past], caution: Caution
) -> tuple[Step, ...]:
    """Steps in order with their waits. Steps of the same phase keep the order in which they came."""
    return resolved([replace(piece.step, needs=piece.needs) for piece in _ordered(pieces)], premises, past, caution)


def resolved(ordered: Sequence[Step], premises: Premises, past: Sequence[Past], caution: Caution) -> tuple[Step, ...]:
    """The steps with the waits that their needs come to, given everything before each of them."""
    timeline = timeline_at_the_beginning(premises)
    for number, each in enumerate(past):
        play(timeline, each.effects, number - len(past), each.label)
    steps: list[Step] = []
    seen_by: dict[str, str] = {}
    for number, step in enumerate(ordered):
        needs = dict.fromkeys((*step.needs, *(need for effect in step.effects for need in effect.needs)))
        found = (wait for need in needs for wait in waits_for(need, timeline, premises, caution, step.effects))
        waits = _longest(replace(wait, after=seen_by.get(wait.after, wait.after)) for wait in found)
        step = replace(step, waits=_known(waits, steps, past))
        seen_by |= {each.id: step.id for each in steps if _is_shown(each, step)}
        steps.append(step)
        play(timeline, step.effects, number, step.id)
    return tuple(_told_when_final(steps))


def _is_shown(step: Step, look: Step) -> bool:
    """Whether the later step looks until what the earlier one changed is seen everywhere."""
    return any(any(map(each.concerns, step.effects)) for each in look.effects)


def _longest(waits: Iterable[Wait]) -> list[Wait]:
    """Of waits after the same step the one that decides."""
    best: dict[str, Wait] = {}
    for each in waits:
        there = best.get(each.after)
        if there is None or each.seconds + each.slack > there.seconds + there.slack:
            best[each.after] = each
    return list(best.values())


def _known(waits: Iterable[Wait], steps: Sequence[Step], past: Sequence[Past]) -> tuple[Wait, ...]:
    """Those after steps, or after what is known to have come to its end."""
    labels = {step.id for step in steps} | {each.label for each in past if each.everywhere is not None}
    return tuple(wait for wait in waits if wait.after in labels)


def _ordered(pieces: Iterable[PlannedStep]) -> list[PlannedStep]:
    """By phase; of steps with the same name, each gets one of its own."""
    ordered, taken = sorted(pieces, key=lambda each: each.phase), dict[str, int]()
    found = []
    for piece in ordered:
        count = taken[piece.step.id] = taken.get(piece.step.id, 0) + 1
        found.append(piece if count == 1 else replace(piece, step=replace(piece.step, id=f"{piece.step.id}-{count}")))
    return found


def play(timeline: Timeline, effects: Iterable[Effect], at: float, label: str) -> None:
    """Effects one after the other, for the order of things only."""
    for effect in effects:
        effect.play(timeline, at, at, label)


def _told_when_final(steps: Sequence[Step]) -> Iterable[Step]:
    """From which step on the way back begins with making anew what was taken away."""
    final = next((number for number, step in enumerate(steps) if step.takes_away), None)
    for number, step in enumerate(steps):
        yield (
            step
            if number != final or step.way_back
            else replace(step, way_back="from here on it begins with making it anew")
        )


def led_back(pieces: Iterable[PlannedStep], premises: Premises, past: Sequence[Past]) -> list[str]:
    """Who would still lead caches to what a step takes away, in words; empty for a plan that leads everybody away
    first."""
    timeline, found = timeline_at_the_beginning(premises), list[str]()
    for each in past:
        play(timeline, each.effects, 0, each.label)
    for number, piece in enumerate(_ordered(pieces)):
        for need in piece.needs:
            if isinstance(need, NoLongerQueried):
                found += still_led(need, timeline, premises)
        play(timeline, piece.step.effects, number, piece.step.id)
    return found


def runbook_of(
    ident: str,
    wish: str,
    at: float,
    premises: Premises,
    pieces: Iterable[PlannedStep],
    past: Sequence[Past],
    caution: Caution,
    domain: Name,
    back_of: str = "",
) -> Runbook:
    """The whole plan."""
    steps = assemble(pieces, premises, past, caution)
    return Runbook(ident, wish, domain, at, caution.margin, premises, steps, tuple(past), back_of)
