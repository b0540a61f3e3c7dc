"""The exact check of a runbook against every kind of cache: safe where it is, exact at the bound, and never wrong about
chance."""

import random
from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from legatum.core.calendar.timing import Caution
from legatum.core.memory.copies import HeldCopy
from legatum.core.moves.kinds.second import Second
from legatum.core.moves.place import KnownHost, Vanishing
from legatum.core.moves.plan import draw as draw_plan
from legatum.core.moves.retreat import Begun, draft_retreat
from legatum.core.moves.runbook import Runbook, forecast
from legatum.core.records.rrset import rrset
from legatum.core.records.rrtype import NS
from legatum.core.rehearsal import build_stage, rehearse, schedules
from legatum.core.rehearsal.caches import CacheKind
from legatum.core.rehearsal.careless import careless
from tests.core.moves.drawn import ALDER, AT, BIRCH, CEDAR, DOMAIN, KINDS, MARGIN, ZONE, first, plan, plan_input
from tests.core.rehearsal.caches import every_cache_fails, first_failure


def shortened(runbook: Runbook, step: str, rule: int, seconds: int) -> Runbook:
    """The runbook with a hold cut short by hand, of ``step`` and of what is taken away at the end."""
    steps = [
        replace(each, waits=tuple(replace(w, seconds=w.seconds - seconds) if w.rule == rule else w for w in each.waits))
        if each.id in (step, "end")
        else each
        for each in runbook.steps
    ]
    return replace(runbook, steps=tuple(steps))


def reordered(runbook: Runbook, *order: str) -> Runbook:
    """The steps named first, in this order, without their waits; then the rest."""
    first = [replace(runbook.step(ident), waits=()) for ident in order]
    return replace(
        runbook, steps=(*first, *(replace(each, waits=()) for each in runbook.steps if each.id not in order))
    )


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("at_once", [False, True])
def test_what_is_drafted_is_safe_and_the_careless_way_is_not(kind: str, at_once: bool) -> None:
    of = plan_input(at_once=at_once, follows=("cedar",) if kind == "soa" else ())
    runbook = plan(kind, of)
    found = rehearse(runbook, {}, AT)
    assert found.safe and found.checked > 10, found.counterexamples[:1]
    hasty = rehearse(careless(runbook), {}, AT)
    assert hasty.safe == (
        kind in ("ttl", "verify", "mail")
    )  # another TTL alone, or a text beside, hurts nobody, however it comes
    assert all(example.story and example.remedy for example in hasty.counterexamples)


def test_a_first_delegation_waits_for_its_name_servers() -> None:
    assert rehearse(first(), {}, AT).safe
    assert not rehearse(
        careless(first(plan_input(hosts=tuple(KnownHost(host, AT, 600) for host in ALDER.servers)))), {}, AT
    ).safe


def test_a_hold_may_be_shortened_by_its_margin_and_not_a_second_more() -> None:
    runbook = plan("provider")
    assert rehearse(shortened(runbook, "confirm", 4, MARGIN), {}, AT).safe
    found = rehearse(shortened(runbook, "confirm", 4, MARGIN + 5), {}, AT)
    assert not found.safe
    example = found.counterexamples[0]
    assert example.step == "end" and "does not serve the zone" in example.story[-1] and "'end' begin" in example.remedy
    assert example.story[0].startswith("Just before") and "ns1.alder.test" in example.story[0]


@pytest.mark.parametrize(
    ("kind", "step", "rule"), [("address", "old-address", 2), ("retirement", "end", 4), ("second", "release", 4)]
)
def test_other_holds_are_exact_too(kind: str, step: str, rule: int) -> None:
    if kind == "second":
        named = (*ALDER.servers, *BIRCH.servers)
        zone = ZONE.with_rrsets([ZONE.apex_ns._replace(rdatas=tuple(sorted(named)))])  # type: ignore[union-attr]
        runbook = draw_plan(
            plan_input(zone, delegation=tuple(sorted(named)), follows=("birch",), hosts=()),
            "m1",
            kind,
            [Second("birch", True, True, True)],
        )
    else:
        runbook = plan(kind)
    ids = {each.id for each in runbook.steps}
    runbook = replace(
        runbook,
        steps=tuple(replace(each, waits=()) if each.id.startswith("confirm") else each for each in runbook.steps),
    )
    assert step in ids and rehearse(shortened(runbook, step, rule, MARGIN - 5), {}, AT).safe
    assert not rehearse(shortened(runbook, step, rule, MARGIN + 15), {}, AT).safe


def test_the_lowered_ttl_has_to_be_waited_out_somewhere() -> None:
    """Without rule 1's hold the last one still counts from when the old TTL was last served."""
    assert rehearse(shortened(plan("provider"), "ready", 1, 86400), {}, AT).safe
    runbook = shortened(plan("provider"), "ready", 1, 86400)
    steps = [replace(each, waits=tuple(wait for wait in each.waits if wait.after != "lower")) for each in runbook.steps]
    runbook = replace(
        runbook,
        steps=tuple(
            each if each.id in ("confirm", "end") else old for each, old in zip(steps, runbook.steps, strict=True)
        ),
    )
    found = rehearse(runbook, {}, AT)
    assert {kind for example in found.counterexamples for kind in example.kinds} == {
        CacheKind.CHILD_TRUSTING,
        CacheKind.STICKY,
    }


def test_the_ns_switched_first() -> None:
    found = rehearse(reordered(plan("provider"), "switch", "parents"), {}, AT)
    assert {example.step for example in found.counterexamples} >= {"switch"}
    assert any("publish the whole zone" in example.remedy for example in found.counterexamples)


def test_sets_that_lead_to_each_other_and_back_are_followed_to_their_end() -> None:
    """A cache may go to and fro between two servers, four seconds longer each time: that is one span for ever, and not
    a million."""
    names = [sorted(each.servers)[0] for each in (ALDER, CEDAR)]
    one, other = (ZONE.with_rrsets([rrset(DOMAIN, NS, 4, each)]) for each in (names, names[:1]))
    before = HeldCopy("the parent", DOMAIN, NS, 3600, rrset(DOMAIN, NS, 3600, names[:1]), 0, AT, True)
    zones = {("alder", DOMAIN): one, ("cedar", DOMAIN): other}
    of = plan_input(zones=zones, delegation=tuple(names), remembered={DOMAIN: (before,)}, caution=Caution(0, 4, MARGIN))
    assert not rehearse(plan("ttl", of), {}, AT).uncovered


def test_the_old_ns_set_kept_is_safe_for_no_sticky_cache() -> None:
    of = plan_input(places=(plan_input().places[0], replace(ALDER, own_ns=True), *plan_input().places[2:]))
    runbook = plan("provider", of)
    assert "end" not in [each.id for each in runbook.steps] and rehearse(runbook, {}, AT).safe
    ended = replace(runbook, steps=(*runbook.steps, replace(plan("provider").step("end"), waits=())))
    found = rehearse(ended, {}, AT)
    assert {kind for example in found.counterexamples for kind in example.kinds} == {CacheKind.STICKY}


def test_an_old_side_that_vanishes_is_safe_or_not_by_when() -> None:
    late = plan("provider", plan_input(vanishing=(Vanishing("alder", AT + 10 * 86400),)))
    assert "end" not in [step.id for step in late.steps]
    soon = plan("provider", plan_input(vanishing=(Vanishing("alder", AT + 3600),)))
    found = rehearse(soon, {}, AT)
    assert not found.safe and "earlier, or have the old side stay" in found.counterexamples[0].remedy


def test_a_new_name_server_just_made() -> None:
    of = plan_input(hosts=tuple(KnownHost(host, AT, 10**6) for host in BIRCH.servers))
    assert rehearse(plan("provider", of), {}, AT).safe
    found = rehearse(shortened(plan("provider", of), "ready", 3, 10**6), {}, AT)
    assert any("no address" in example.story[-1] for example in found.counterexamples)
    known = plan_input(hosts=tuple(KnownHost(host, AT - 700, 600) for host in BIRCH.servers))
    slots = {each.step.id: each for each in forecast(plan("provider", replace(known, at_once=True)), {}, AT)}
    assert slots["ready"].expected < AT + 60  # seen long ago, in another move: nothing is waited for


@st.composite
def runbooks(draw: st.DrawFn) -> Runbook:
    """Plans of every kind with their holds cut by chance, and sometimes their steps exchanged."""
    caution = Caution(draw(st.sampled_from([0, 60])), 0, 0)
    ttl = draw(st.integers(5, 600))
    zone = ZONE.with_rrsets([each.with_ttl(min(each.ttl, ttl)) for each in ZONE])
    parent = draw(st.integers(5, 400))
    hosts = tuple(KnownHost(host, AT - draw(st.integers(0, 300)), draw(st.integers(0, 200))) for host in BIRCH.servers)
    of = plan_input(
        zone,
        parent_ttl=parent,
        glue_ttl=parent,
        caution=caution,
        low_ttl=draw(st.integers(5, 100)),
        publishing=draw(st.integers(0, 50)),
        hosts=hosts,
        at_once=draw(st.booleans()),
    )
    runbook = plan(draw(st.sampled_from(sorted(set(KINDS) - {"soa"}))), of)
    share = draw(st.sampled_from([1.0, 1.0, 1.0, 0.9, 0.5, 0.0]))
    steps = [
        replace(s, waits=tuple(replace(w, seconds=int(w.seconds * share)) for w in s.waits)) for s in runbook.steps
    ]
    if draw(st.booleans()) and share < 1 and len(steps) > 1:
        at = draw(st.integers(0, len(steps) - 2))
        steps[at], steps[at + 1] = replace(steps[at + 1], waits=()), replace(steps[at], waits=())
    return replace(runbook, steps=tuple(steps))


@given(runbooks(), st.integers(0, 2**32))
@settings(max_examples=90, deadline=None)
def test_what_is_called_safe_never_fails_by_chance(runbook: Runbook, seed: int) -> None:
    found, chance = rehearse(runbook, {}, AT), random.Random(seed)
    if not found.safe:
        return
    for schedule, slots in schedules(runbook, {}, AT):
        if "two days" in schedule:
            continue
        playback = build_stage(runbook, slots)
        given_up = not any(each.ends == float("inf") for _, _, each in playback.delegations(runbook.domain))
        last = max(slot.ends for slot in slots) + 1500
        for kind in CacheKind if not given_up else (CacheKind.PARENT_TRUSTING, CacheKind.CHILD_TRUSTING):
            for _ in range(6):
                failure = first_failure(playback, kind, chance, AT - 700, last, chance.choice([3, 20, 90]))
                assert not failure, (failure, schedule)


@pytest.mark.parametrize("kind", sorted(set(KINDS) - {"ttl", "soa", "verify", "mail"}))
def test_what_is_called_unsafe_does_fail_by_chance(kind: str) -> None:
    """The careless way: there is a counterexample for each kind of cache, and random caches of that kind do meet it."""
    of = plan_input(
        ZONE.with_rrsets([each.with_ttl(min(each.ttl, 400)) for each in ZONE]),
        parent_ttl=300,
        caution=Caution(0, 0, 0),
        publishing=5,
    )
    hasty = careless(plan(kind, replace(of, hosts=())))
    unsafe = {each for example in rehearse(hasty, {}, AT).counterexamples for each in example.kinds}
    assert unsafe
    playback, chance = build_stage(hasty, next(iter(schedules(hasty, {}, AT)))[1]), random.Random(7)
    for each in unsafe:
        assert any(first_failure(playback, each, chance, AT - 700, AT + 3000, 20) for _ in range(200)), each


@given(
    st.integers(1, 4),
    st.integers(1, 4),
    st.integers(0, 12),
    st.integers(0, 12),
    st.booleans(),
    st.sampled_from(list(CacheKind)),
)
@settings(max_examples=120, deadline=None)
def test_the_verdict_is_that_of_all_caches_of_a_small_world(
    parent: int, own: int, before_apex: int, before_end: int, keeps: bool, kind: CacheKind
) -> None:
    """TTLs and holds of a few seconds: the NS set switched, the apex exchanged or not, the old side ended; every cache
    is tried."""
    zone = ZONE.with_rrsets([each.with_ttl(own) for each in ZONE])
    places = (plan_input().places[0], replace(ALDER, own_ns=keeps), *plan_input().places[2:])
    of = plan_input(
        zone,
        parent_ttl=parent,
        caution=Caution(0, 0, 0),
        hosts=(),
        low_ttl=own,
        final_ttl=own,
        publishing=0,
        at_once=True,
        places=places,
    )
    runbook = plan("provider", of)
    holds = {"apex": before_apex, "end": before_end}
    steps = [
        replace(each, waits=(), estimate=holds.get(each.id, 0))
        for each in runbook.steps
        if each.id not in ("confirm", "gather", "compare", "ready")
    ]
    wanted = ["publish", "switch", "parents", *([] if keeps else ["apex"]), "raise", "end"]
    steps += [] if not keeps else [replace(plan("provider").step("end"), waits=(), estimate=0)]
    order = [
        next(each for each in steps if each.id == ident) for ident in wanted if ident in [each.id for each in steps]
    ]
    pause = {
        ident: replace(runbook.step("gather"), id=f"before {ident}", effects=(), estimate=seconds)
        for ident, seconds in holds.items()
    }
    whole = [
        one
        for each in order
        for one in ([pause[each.id], replace(each, estimate=0)] if each.id in pause else [replace(each, estimate=0)])
    ]
    runbook = replace(runbook, steps=tuple(whole))
    slots = list(forecast(runbook, {}, AT))
    playback = build_stage(runbook, slots)
    unsafe = kind in {
        each
        for example in rehearse(runbook, {}, AT).counterexamples
        if example.schedule == "as estimated"
        for each in example.kinds
    }
    assert every_cache_fails(playback, kind, int(AT) - 20, int(AT) + 60) == unsafe


@pytest.mark.parametrize("kind", KINDS)
def test_the_way_back_is_safe_from_every_step_too(kind: str) -> None:
    move = plan(kind)
    slots = list(forecast(move, {}, AT))
    for last in range(1, len(slots) + 1):
        begun = {each.step.id: Begun(each.first, each.ends) for each in slots[:last]}
        now = slots[last - 1].ends
        back = draft_retreat(move, begun, now)
        found = rehearse(back, {}, now)
        assert found.safe, (slots[last - 1].step.id, found.counterexamples[0])
        unsure = draft_retreat(move, {**begun, slots[last - 1].step.id: Begun(slots[last - 1].first, None)}, now)
        assert rehearse(unsure, {}, now).safe  # begun, and not known how it ended
        if any(each.step.id == "switch" for each in slots[:last]) and kind not in ("retirement",):
            hasty = replace(back, steps=tuple(replace(step, waits=()) for step in back.steps))
            assert not rehearse(hasty, {}, now).safe or kind == "hosts"
