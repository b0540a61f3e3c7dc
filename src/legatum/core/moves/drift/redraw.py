"""A plan drawn anew from what is so now: TTLs that somebody has changed. What was done stays done, and every wait is
worked out again."""

from collections.abc import Collection, Mapping
from dataclasses import fields, is_dataclass, replace
from typing import Any

from legatum.core.calendar.timing import Caution
from legatum.core.moves.assembly import resolved
from legatum.core.moves.effects import Delegated, Records, RRsetChange
from legatum.core.moves.place import PARENT, RRsetKey
from legatum.core.moves.runbook import Past, Runbook, Step
from legatum.core.records.name import Name, name_text
from legatum.core.records.rrset import RRset
from legatum.core.records.rrtype import NS, type_text


def redrawn(
    runbook: Runbook,
    expected: Mapping[tuple[str, Name, RRsetKey], RRset],
    seen: Mapping[tuple[str, Name, RRsetKey], RRset],
    now: float,
    done: Collection[str] = (),
) -> Runbook:
    """``expected``, ``seen``: what places should give by what was done, and what they do; the same data, with other
    TTLs. ``done``: steps."""
    for where, rrset in seen.items():
        before = expected[where]
        if rrset.ttl < before.ttl and _is_made(runbook, before, done):
            runbook = _lowered_further(runbook, where, before, rrset, done)
        elif before.ttl != rrset.ttl:
            runbook = _with(runbook, where, before, rrset, now)
    caution = Caution(runbook.premises.floor, runbook.premises.time_out, runbook.margin)
    return replace(runbook, steps=resolved(runbook.steps, runbook.premises, runbook.past, caution))


def _is_made(runbook: Runbook, rrset: RRset, done: Collection[str]) -> bool:
    """By a step that was done."""
    changes = [
        each
        for step in runbook.steps
        if step.id in done
        for effect in step.effects
        if isinstance(effect, Records)
        for each in effect.changed
    ]
    return any(each.after == rrset for each in changes)


def _lowered_further(
    runbook: Runbook, where: tuple[str, Name, RRsetKey], before: RRset, after: RRset, done: Collection[str]
) -> Runbook:
    """What somebody has done after our own steps is a step between them and the rest, which will be found done."""
    place, zone, key = where
    at = next((number for number, step in enumerate(runbook.steps) if step.id not in done), len(runbook.steps))
    what = f"the TTL of {name_text(key[0])} {type_text(key[1])} at {place}"
    step = Step(
        f"lowered-{at}-{type_text(key[1]).lower()}", f"See that {what} is {after.ttl} now",
        (Records(place, zone, (RRsetChange(before, after),)),), (), f"every server of {place} hands it out so",
        f"raise it to {before.ttl} again",
    )  # fmt: skip
    rest = (_exchanged(each, before, after) for each in runbook.steps[at:])
    return replace(runbook, steps=(*runbook.steps[:at], step, *rest))


def _with(runbook: Runbook, where: tuple[str, Name, RRsetKey], before: RRset, after: RRset, now: float) -> Runbook:
    place, zone, key = where
    steps = tuple(_exchanged(step, before, after, place == PARENT and key[1] == NS) for step in runbook.steps)
    if after.ttl > before.ttl:
        return replace(runbook, premises=_exchanged(runbook.premises, before, after), steps=steps)
    label = f"{name_text(key[0])} {type_text(key[1])} at {place} with {before.ttl}"
    past = Past(label, (Records(place, zone, (RRsetChange(before, after),)),), now, now)
    return replace(runbook, past=(*runbook.past, past), steps=steps)


def _exchanged(value: Any, before: RRset, after: RRset, delegations: bool = False) -> Any:
    """The same with one RRset in the place of another, wherever it stands."""
    if value == before and isinstance(value, RRset):
        return after
    if isinstance(value, RRset | bytes | str):
        return value
    if delegations and isinstance(value, Delegated) and value.ttl == before.ttl:
        return replace(value, ttl=after.ttl)
    if is_dataclass(value) and not isinstance(value, type):
        return replace(
            value,
            **{each.name: _exchanged(getattr(value, each.name), before, after, delegations) for each in fields(value)},
        )
    if isinstance(value, tuple):
        return tuple(_exchanged(each, before, after, delegations) for each in value)
    return value
