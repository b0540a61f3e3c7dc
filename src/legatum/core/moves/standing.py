"""Where a move of the house stands, at one look: its next step, when that may be done, and what it waits for."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

from legatum.core.memory.history import BY_HAND, FAILED, INTENT, OUTCOME, REFUSED, Entry
from legatum.core.moves.effects import (
    Delegated,
    DsChanged,
    HostSet,
    Joined,
    Records,
    Released,
    ServiceEnded,
    Signed,
    Statuses,
    Transfer,
    ZoneEnded,
    ZoneMade,
)
from legatum.core.moves.outcome import Outcome
from legatum.core.moves.runbook import Runbook, Step, forecast, hold_of, next_step
from legatum.core.records.name import Name


class State(StrEnum):
    """What is the matter with it, the most pressing first."""

    TROUBLE = "in trouble"
    PERSON = "waits for a person"
    READY = "may go on"
    HOLDING = "holds"
    DRAFTED = "drafted"
    OVER = "complete"


_ORDER = list(State)
TO_DO = ". To do: "
"""Between why something was refused and what mends it."""


@dataclass(frozen=True, slots=True)
class Standing:
    """``back``: it is being taken back; ``step``, ``title``: the next one, empty when it is over; ``not_before``: until
    when that holds, None for no hold; ``because`` of what, or what a person has to do; ``ends``: when all of it is over
    if every step is done when it is due; ``done`` of ``steps``; ``who`` was at it last, and when (``at``); ``trouble``:
    why its next step failed, or was refused, the last time; ``begun``: something was done, or may have been. Instants
    in seconds since 1970."""

    domain: Name
    wish: str
    state: State
    back: bool
    step: str
    title: str
    not_before: float | None
    because: str
    ends: float
    done: int
    steps: int
    who: str
    at: float
    trouble: str
    begun: bool


def standing_of(
    runbook: Runbook,
    outcomes: Mapping[str, Outcome],
    entries: Sequence[Entry],
    by_hand: Callable[[str], bool],
    now: float,
) -> Standing:
    """``entries``: of the move, oldest first; ``by_hand``: whether only a person changes that provider or registrar."""
    step = next_step(runbook, outcomes)
    slots = list(forecast(runbook, outcomes, now))
    last = entries[-1] if entries else None
    trouble, to_do = trouble_of(step, entries), by_hand_of(step, entries)
    bound = hold_of(runbook, step, outcomes, now) if step is not None else None
    holding = bound is not None and bound.instant > now
    return Standing(
        runbook.domain,
        runbook.wish,
        State.PERSON
        if to_do
        else _state(step, outcomes, trouble, holding, step is not None and _is_by_hand(step, by_hand)),
        runbook.retreating,
        step.id if step else "",
        step.title if step else "",
        bound.instant if bound is not None and holding else None,
        bound.reason if bound is not None and holding else to_do,
        slots[-1].ends if slots else now,
        sum(each.id in outcomes for each in runbook.steps),
        len(runbook.steps),
        last.who if last else "",
        last.at if last else runbook.drafted,
        trouble,
        any(each.kind in (INTENT, OUTCOME) for each in entries),
    )


def as_of(found: Standing, now: float) -> Standing:
    """The same later: a hold may be over by then."""
    if found.state == State.HOLDING and found.not_before is not None and found.not_before <= now:
        return replace(found, state=State.READY, not_before=None, because="")
    return found


def by_urgency(found: Sequence[Standing]) -> list[Standing]:
    """What waits for a person first; of those that hold the one whose hold ends first."""
    return sorted(found, key=lambda each: (_ORDER.index(each.state), each.not_before or each.at, each.domain))


def _state(step: Step | None, outcomes: Mapping[str, Outcome], trouble: str, holding: bool, by_hand: bool) -> State:
    if step is None:
        return State.OVER
    if trouble:
        return State.TROUBLE
    if not outcomes:
        return State.DRAFTED
    if holding:
        return State.HOLDING
    return State.PERSON if by_hand else State.READY


def trouble_of(step: Step | None, entries: Sequence[Entry]) -> str:
    """Of the next step: it failed or was refused the last time, or was begun and is not known to have ended."""
    last = _last(step, entries)
    if last is None or last.kind == OUTCOME or last.facts.get(BY_HAND):
        return ""
    if last.kind == REFUSED:
        remedy = str(last.facts.get("remedy", ""))
        return f"refused: {last.text}" + (f"{TO_DO}{remedy}" if remedy else "")
    return last.text if last.kind == FAILED else "begun, not known to have ended: somebody is at it, or it was cut off"


def by_hand_of(step: Step | None, entries: Sequence[Entry]) -> str:
    """Of the next step: what only a person can do, where it came to that the last time."""
    last = _last(step, entries)
    return last.text if last is not None and last.facts.get(BY_HAND) else ""


def _last(step: Step | None, entries: Sequence[Entry]) -> Entry | None:
    own = [
        each
        for each in entries
        if step is not None and each.step == step.id and each.kind in (INTENT, OUTCOME, FAILED, REFUSED)
    ]
    return own[-1] if own else None


def changed_at(step: Step) -> frozenset[str]:
    """The providers and registrars at which this step changes something."""
    places = set[str]()
    for effect in step.effects:
        if isinstance(effect, Delegated | DsChanged | HostSet | Statuses):
            places.add(effect.registrar)
        elif isinstance(effect, Records | ZoneMade | ZoneEnded | Joined | Released | Signed):
            places.add(effect.place)
        elif isinstance(effect, Transfer):
            places |= {effect.losing, effect.gaining}
    return frozenset(places) if step.changes else frozenset()


def _is_by_hand(step: Step, by_hand: Callable[[str], bool]) -> bool:
    """It is for a person with a form, or to switch something off."""
    return any(isinstance(effect, ServiceEnded) for effect in step.effects) or any(map(by_hand, changed_at(step)))
