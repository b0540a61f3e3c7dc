"""The exact check of a runbook against every kind of cache: safe where it is, exact at the bound, and never wrong about chance."""

import random
from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from legatum.core.caches import CacheKind
from legatum.core.moves.provider import draft
from legatum.core.moves.retreat import draft_retreat
from legatum.core.rehearsal import Which, build_stage, rehearse, schedules
from legatum.core.rehearsal.stage import Content, Period, Stage
from legatum.core.runbook import Runbook
from legatum.core.timing import Caution
from tests.core.test_provider_move import SEEN, WISH

MARGIN = WISH.caution.margin


def shortened(runbook: Runbook, step: str, rule: int, seconds: int) -> Runbook:
    """The runbook with a hold cut short by hand."""
    steps = [
        replace(each, waits=tuple(replace(w, seconds=w.seconds - seconds) if w.rule == rule else w for w in each.waits))
        if each.id == step
        else each
        for each in runbook.steps
    ]
    return replace(runbook, steps=tuple(steps))


def reordered(runbook: Runbook, *order: str) -> Runbook:
    """The steps named first, in this order, without their waits; then the rest."""
    first = [replace(runbook.step(ident), waits=()) for ident in order]
    return replace(runbook, steps=(*first, *(replace(each, waits=()) for each in runbook.steps if each.id not in order)))


def test_the_drafted_move_is_safe() -> None:
    found = rehearse(draft(SEEN, WISH), {}, SEEN.at)
    assert found.safe and found.checked > 100


def test_a_hold_may_be_shortened_by_its_margin_and_not_a_second_more() -> None:
    runbook = draft(SEEN, WISH)
    assert rehearse(shortened(runbook, "confirm", 4, MARGIN), {}, SEEN.at).safe
    found = rehearse(shortened(runbook, "confirm", 4, MARGIN + 5), {}, SEEN.at)
    assert not found.safe
    example = found.counterexamples[0]
    assert example.step == "end" and "does not serve the zone" in example.story[-1] and "'end' begin" in example.remedy
    assert example.story[0].startswith("Just before") and "ns1.alder.test" in example.story[0]


def test_the_lowered_ttl_has_to_be_waited_out_somewhere() -> None:
    """Without rule 1's hold and without rule 2's part of the last one, copies with the old TTL outlive the old service."""
    runbook = shortened(shortened(draft(SEEN, WISH), "ready", 1, 86400), "confirm", 2, 86400)
    found = rehearse(runbook, {}, SEEN.at)
    assert {kind for example in found.counterexamples for kind in example.kinds} == {CacheKind.CHILD_TRUSTING, CacheKind.STICKY}
    assert rehearse(shortened(draft(SEEN, WISH), "ready", 1, 86400), {}, SEEN.at).safe  # rule 2 still holds the end


def test_the_ns_switched_first() -> None:
    found = rehearse(reordered(draft(SEEN, WISH), "switch", "parents"), {}, SEEN.at)
    assert {example.step for example in found.counterexamples} >= {"switch"}
    assert any("publish the whole zone" in example.remedy for example in found.counterexamples)


def test_the_old_service_ended_early() -> None:
    found = rehearse(reordered(draft(SEEN, WISH), "publish", "apex", "switch", "end"), {}, SEEN.at)
    assert not found.safe and all(example.step == "end" for example in found.counterexamples if "alder" in example.remedy)


def test_the_old_ns_set_kept_is_safe_for_no_sticky_cache() -> None:
    wish = replace(WISH, old=replace(WISH.old, changes_apex_ns=False))
    found = rehearse(draft(SEEN, wish), {}, SEEN.at)
    assert {kind for example in found.counterexamples for kind in example.kinds} == {CacheKind.STICKY}


def test_a_new_name_server_just_made() -> None:
    late = replace(SEEN, host_negative_ttls=((SEEN.host_negative_ttls[0][0], 10**6),))
    assert rehearse(draft(late, WISH), {}, SEEN.at).safe
    found = rehearse(shortened(draft(late, WISH), "ready", 3, 10**6), {}, SEEN.at)
    assert any("no address" in example.story[-1] for example in found.counterexamples)


def simulated_failure(stage: Stage, kind: CacheKind, chance: random.Random, begin: float, end: float, every: float) -> str:
    """One cache with random moments of asking; a word about the first question that goes wrong, or nothing.

    A simulation of its own: it follows one cache through time, and knows nothing of spans.
    """

    def one_of(periods: tuple[Period, ...], now: float) -> object:
        return chance.choice([period.value for period in periods if period.begins <= now < period.ends])

    cut: tuple[Which, float, bool] | None = None
    now = begin
    while now < end:
        now += chance.expovariate(1 / every)
        if cut is None or cut[1] <= now or chance.random() < 0.02:
            given = one_of(stage.delegation, now)
            cut = (given.which, now + max(given.ttl, stage.floor), False)  # type: ignore[attr-defined]
        content = one_of(stage.content[cut[0]], now)
        if content != Content.WHOLE:
            return f"{kind} asked {cut[0]} at {now}: {content}"
        own = one_of(stage.apex[cut[0]], now)
        adopts = kind == CacheKind.STICKY or (kind == CacheKind.CHILD_TRUSTING and not cut[2] and chance.random() < 0.8)
        if adopts:
            cut = (own.which, now + max(own.ttl, stage.floor), True)  # type: ignore[attr-defined]
    return ""


@st.composite
def runbooks(draw: st.DrawFn) -> Runbook:
    """Drafted moves with their holds cut by chance, and sometimes their steps exchanged."""
    seen = replace(SEEN, parent_ttl=draw(st.integers(5, 400)), apex_ttl=draw(st.integers(5, 600)))
    wish = replace(
        WISH,
        low_ttl=draw(st.integers(5, 100)),
        caution=Caution(draw(st.sampled_from([0, 60])), 0, 0),
        old=replace(WISH.old, changes_apex_ns=draw(st.booleans())),
        publishing=draw(st.integers(0, 50)),
    )
    runbook = draft(seen, wish)
    share = draw(st.sampled_from([1.0, 1.0, 1.0, 0.9, 0.5, 0.0]))
    steps = [replace(s, waits=tuple(replace(w, seconds=int(w.seconds * share)) for w in s.waits)) for s in runbook.steps]
    if draw(st.booleans()) and share < 1:
        at = draw(st.integers(0, len(steps) - 2))
        steps[at], steps[at + 1] = replace(steps[at + 1], waits=()), replace(steps[at], waits=())
    return replace(runbook, steps=tuple(steps))


@given(runbooks(), st.integers(0, 2**32))
@settings(max_examples=150, deadline=None)
def test_what_is_called_safe_never_fails_by_chance(runbook: Runbook, seed: int) -> None:
    found, chance = rehearse(runbook, {}, SEEN.at), random.Random(seed)
    for schedule, standings in schedules(runbook, {}, SEEN.at):
        if "two days" in schedule:
            continue
        stage = build_stage(runbook, standings)
        unsafe = {kind for example in found.counterexamples for kind in example.kinds}
        last = max(standing.ends for standing in standings) + 1500
        for kind in CacheKind:
            for _ in range(8):
                failure = simulated_failure(stage, kind, chance, SEEN.at - 700, last, chance.choice([3, 20, 90]))
                assert not failure or kind in unsafe, (failure, schedule)


@pytest.mark.parametrize("kind", list(CacheKind))
def test_what_is_called_unsafe_does_fail_by_chance(kind: CacheKind) -> None:
    """With all holds cut there is a counterexample for each kind, and random caches of that kind do meet it."""
    seen, wish = replace(SEEN, parent_ttl=300, apex_ttl=400), replace(WISH, caution=Caution(0, 0, 0), publishing=5)
    runbook = draft(seen, wish)
    runbook = replace(runbook, steps=tuple(replace(each, waits=()) for each in runbook.steps))
    assert kind in {each for example in rehearse(runbook, {}, SEEN.at).counterexamples for each in example.kinds}
    stage, chance = build_stage(runbook, next(iter(schedules(runbook, {}, SEEN.at)))[1]), random.Random(7)
    assert any(simulated_failure(stage, kind, chance, SEEN.at - 700, SEEN.at + 1500, 20) for _ in range(60))


@pytest.mark.parametrize("last", range(1, 12))
def test_the_way_back_is_safe_from_every_step_too(last: int) -> None:
    move = draft(SEEN, WISH)
    begun = {step.id for step in move.steps[:last]}
    back = draft_retreat(move, begun, SEEN.at + 10**6)
    found = rehearse(back, {}, SEEN.at + 10**6)
    assert found.safe, found.counterexamples[0]
    if "switch" in begun:
        hasty = replace(back, steps=tuple(replace(step, waits=()) for step in back.steps))
        assert not rehearse(hasty, {}, SEEN.at + 10**6).safe
