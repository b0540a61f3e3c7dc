"""Where a move stands, from its runbook and the lines of the journal."""

from dataclasses import replace

import pytest

from legatum.core.memory.history import BY_HAND, FAILED, INTENT, OUTCOME, Entry
from legatum.core.moves.outcome import Outcome
from legatum.core.moves.runbook import Runbook, forecast
from legatum.core.moves.standing import Standing, State, as_of, by_urgency, standing_of
from tests.core.moves.drawn import AT, DOMAIN, plan


def nobody(name: str) -> bool:
    """Only a person changes none of them."""
    return False


def outcomes_until(runbook: Runbook, count: int) -> dict[str, Outcome]:
    """The first steps, done as early as the plan lets them be."""
    slots = list(forecast(runbook, {}, AT))[:count]
    return {each.step.id: Outcome(each.step.id, each.expected, each.ends, "seen") for each in slots}


def entry(number: int, kind: str, step: str, text: str = "") -> Entry:
    return Entry(number, "m1", str(DOMAIN), step, kind, AT + number, text, "Wren", (), {}, 0)


def test_every_step_of_a_move_from_its_draft_to_its_end() -> None:
    runbook = plan("provider")
    held = 0
    for count, step in enumerate((*runbook.steps, None)):
        outcomes = outcomes_until(runbook, count)
        now = max((each.all for each in outcomes.values()), default=AT)
        slot = next((each for each in forecast(runbook, outcomes, now) if each.step is step), None)
        found = standing_of(runbook, outcomes, [entry(1, INTENT, "draft")], nobody, now)
        assert (found.done, found.steps, found.step) == (count, len(runbook.steps), step.id if step else "")
        assert found.who == "Wren" and not found.trouble
        if slot is None:
            assert found.state == State.OVER
        elif count == 0:
            assert found.state == State.DRAFTED
        elif slot.bound is not None and slot.bound.instant > now:
            held += 1
            assert (found.state, found.not_before, found.because) == (
                State.HOLDING,
                slot.bound.instant,
                slot.bound.reason,
            )
            late = as_of(found, slot.bound.instant)
            assert (late.state, late.not_before) == (State.READY, None) and as_of(
                found, slot.bound.instant - 1
            ) is found
        else:
            assert found.state == State.READY and found.not_before is None
    assert held >= 2  # the switch and the end of the old service are not for today


@pytest.mark.parametrize(
    ("kinds", "state", "trouble"),
    [
        ((INTENT, FAILED), State.TROUBLE, "it says no"),
        ((INTENT,), State.TROUBLE, "begun, not known to have ended: somebody is at it, or it was cut off"),
        ((INTENT, FAILED, INTENT, OUTCOME), State.READY, ""),
    ],
)
def test_a_step_that_failed_or_was_left_in_the_middle(kinds: tuple[str, ...], state: State, trouble: str) -> None:
    runbook = plan("provider")
    outcomes = outcomes_until(runbook, 1)
    step = runbook.steps[1].id
    lines = [entry(number, kind, step, "it says no") for number, kind in enumerate(kinds)]
    found = standing_of(runbook, outcomes, lines, nobody, AT + 10 * 86400)
    assert (found.state, found.trouble) == (state, trouble)


def test_what_only_a_person_can_do() -> None:
    runbook = plan("provider")
    now = AT + 30 * 86400
    states = [
        standing_of(runbook, outcomes_until(runbook, count), [], "flint".__eq__, now).state
        for count in range(1, len(runbook.steps))
    ]
    by_hand = [step.title for step, state in zip(runbook.steps[1:], states, strict=True) if state == State.PERSON]
    assert by_hand == ["Set the NS set at the registrar flint to birch"]
    assert State.READY in states  # the others are the program's
    step = runbook.steps[1].id
    tried = [entry(0, INTENT, step), replace(entry(1, FAILED, step, "type it into the form"), facts={BY_HAND: True})]
    found = standing_of(runbook, outcomes_until(runbook, 1), tried, nobody, now)
    assert (found.state, found.because, found.trouble) == (State.PERSON, "type it into the form", "")


def test_what_needs_somebody_comes_first() -> None:
    runbook = plan("provider")

    def one(state: State, not_before: float | None = None) -> Standing:
        return replace(standing_of(runbook, {}, [], nobody, AT), state=state, not_before=not_before)

    found = by_urgency(
        [
            one(State.OVER),
            one(State.HOLDING, 500.0),
            one(State.DRAFTED),
            one(State.TROUBLE),
            one(State.HOLDING, 400.0),
            one(State.READY),
            one(State.PERSON),
        ]
    )
    assert [(each.state, each.not_before) for each in found] == [
        (State.TROUBLE, None),
        (State.PERSON, None),
        (State.READY, None),
        (State.HOLDING, 400.0),
        (State.HOLDING, 500.0),
        (State.DRAFTED, None),
        (State.OVER, None),
    ]
