"""The timing rules against exhaustive search over small worlds: every cache state, every moment of asking.

A small cache model, written anew here, is followed through every choice that a cache and its visitors have: ask or not, forget
or not, adopt the child's NS set or not. Each bound must be safe, and one unit earlier must not be.
"""

from collections.abc import Callable, Iterator
from itertools import product

import pytest
from hypothesis import given
from hypothesis import strategies as st

from legatum.core.timing import Caution, Delegation, Wait, changed_rrset, delegation_change, load_of_ttl, lowering, new_name, not_before

BARE = Caution(floor=0, time_out=0, margin=0)


class NoSlack(Caution):
    """Ideal clocks and no time on the way: what the rules are exact for."""

    def slack(self, copies: int) -> int:
        return 0


IDEAL = NoSlack(floor=0, time_out=0, margin=0)
Cut = tuple[bool, int, bool] | None  # (is the old set, expires, learnt from the child)


def bound_of(waits: tuple[Wait, ...], happened: dict[str, float]) -> float:
    found = not_before(waits, happened, 0, 0)
    assert found is not None
    return found.instant


def last_question_to_the_old_side(
    kind: str, t_parent: int, t_child: int | None, parent_ttl: int, ns_ttl: Callable[[int], int], horizon: int
) -> int:
    """The last moment at which any cache of the kind can ask an old server. Old apex NS set until ``t_child`` (None: for ever)."""
    states: set[Cut] = {None}
    last = -1
    for now in range(horizon):
        following: set[Cut] = set(states) | {None}
        for state in states | {None}:
            cut = state if state is not None and state[1] > now else None
            old, expires, from_child = cut if cut else (now < t_parent, now + parent_ttl, False)
            if old:
                last = now
            child_is_old = old and (t_child is None or now < t_child)
            kept = (old, expires, from_child)
            learnt = (child_is_old, now + ns_ttl(now), True)
            if kind == "parent-trusting" or (from_child and kind == "child-trusting"):
                following.add(kept)
            elif kind == "child-trusting":
                following |= {kept, learnt}  # some learn only when somebody asks for the NS set
            else:
                following.add(learnt)
        states = {state if state is not None and state[1] > now else None for state in following}
    return last


def small_worlds() -> Iterator[tuple[int, int, int, int]]:
    yield from product((1, 2, 5), (1, 3, 6), (6, 9), (6, 8))


@pytest.mark.parametrize("kind", ["parent-trusting", "child-trusting", "sticky"])
def test_rule_4_is_safe_for_every_kind_of_cache(kind: str) -> None:
    for parent_ttl, ns_ttl, t_parent, t_child in small_worlds():
        facts = Delegation("example", "parents", "children", None, parent_ttl, ns_ttl, ns_ttl)
        bound = bound_of(delegation_change(facts, IDEAL), {"parents": t_parent, "children": t_child})
        assert bound == max(t_parent + parent_ttl, t_child + ns_ttl)
        last = last_question_to_the_old_side(kind, t_parent, t_child, parent_ttl, lambda _, ttl=ns_ttl: ttl, 30)
        assert last < bound, (parent_ttl, ns_ttl, t_parent, t_child)


def test_rule_4_is_tight() -> None:
    """Some kind of cache asks the old side in the last unit that the bound allows: no earlier bound would do.

    In whole units a copy is fetched at the latest one unit before the change and used at the latest one unit before it ends.
    """
    for parent_ttl, ns_ttl, t_parent, t_child in small_worlds():
        bound = max(t_parent + parent_ttl, t_child + ns_ttl)
        kinds = ("parent-trusting", "child-trusting", "sticky")
        last = max(last_question_to_the_old_side(kind, t_parent, t_child, parent_ttl, lambda _, ttl=ns_ttl: ttl, 30) for kind in kinds)
        if t_child <= t_parent + parent_ttl - 1:  # somebody can still reach the old servers just before the child changes
            assert last == bound - 2, (parent_ttl, ns_ttl, t_parent, t_child)


def test_rule_4_where_the_old_ns_set_stays() -> None:
    for parent_ttl, ns_ttl, t_parent, _ in small_worlds():
        facts = Delegation("example", "parents", None, None, parent_ttl, ns_ttl, ns_ttl)
        bound = bound_of(delegation_change(facts, IDEAL), {"parents": t_parent})
        assert bound == t_parent + parent_ttl + ns_ttl
        child = last_question_to_the_old_side("child-trusting", t_parent, None, parent_ttl, lambda _, ttl=ns_ttl: ttl, 40)
        assert child < bound and (parent_ttl == 1 or child == bound - 3)
        if ns_ttl > 1:  # sticky caches never leave while the old servers go on
            assert last_question_to_the_old_side("sticky", t_parent, None, parent_ttl, lambda _, ttl=ns_ttl: ttl, 40) == 39


def test_events_alone_are_not_enough() -> None:
    """The world of the model's last paragraph: T_par 2, T_ns 5, old apex NS set kept, parent switched at 6, asked until 12."""
    last = last_question_to_the_old_side("child-trusting", 6, None, 2, lambda _: 5, 30)
    assert 6 < last < 13 and last == 10


@pytest.mark.parametrize("early", [0, 1, 2])
def test_rule_4_after_a_lowered_ttl(early: int) -> None:
    """The old copies with the old TTL count as well (rule 2): changing before rule 1 allows moves the bound, and it stays safe."""
    t_lower, old_ttl, low_ttl, parent_ttl = 2, 9, 3, 2
    wait = bound_of(lowering("lower", old_ttl, low_ttl, "the set", IDEAL), {"lower": t_lower})
    assert wait == t_lower + old_ttl - low_ttl
    change = int(wait) - early
    facts = Delegation("example", "parents", "children", "lower", parent_ttl, low_ttl, old_ttl)
    bound = bound_of(delegation_change(facts, IDEAL), {"lower": t_lower, "parents": change, "children": change})
    for kind in ("parent-trusting", "child-trusting", "sticky"):
        assert (
            last_question_to_the_old_side(kind, change, change, parent_ttl, lambda now: old_ttl if now < t_lower else low_ttl, 30) < bound
        )
    # Rule 1 exactly: from then on the old data end within the low TTL of the change; a unit earlier they do not.
    assert (bound <= change + low_ttl) == (early == 0)


def last_old_answer(ttl_at: Callable[[int], int], change: int, horizon: int) -> int:
    """The last moment at which a cache can still give the old data."""
    return max((fetched + ttl_at(fetched) - 1 for fetched in range(min(change, horizon))), default=-1)


@given(st.integers(1, 6), st.integers(1, 12), st.integers(1, 12), st.integers(0, 20))
def test_rules_1_and_2_for_one_rrset(t_lower: int, old_ttl: int, low_ttl: int, after: int) -> None:
    change = t_lower + after
    waits = changed_rrset("the address", [("lower", old_ttl), ("change", low_ttl)], IDEAL)
    bound = bound_of(waits, {"lower": t_lower, "change": change})
    last = last_old_answer(lambda now: old_ttl if now < t_lower else low_ttl, change, 60)
    assert last < bound
    if after:
        assert last == bound - 2  # fetched a unit before the change, used a unit before its end


def test_nothing_to_lower_nothing_to_wait_for() -> None:
    assert lowering("lower", 300, 300, "the set", IDEAL) == ()
    assert lowering("lower", 300, 60, "the set", Caution(floor=600)) == ()
    assert not_before((), {}, 0, 30) is None


def test_the_floor_replaces_each_shorter_ttl_and_the_margin_is_seen() -> None:
    caution = Caution(floor=300, time_out=4, margin=30)
    facts = Delegation("example", "parents", None, None, 60, 10, 10)
    bound = not_before(delegation_change(facts, caution), {"parents": 1000.0}, 1000, caution.margin)
    assert bound is not None and bound.instant == 1000 + 300 + 300 + (4 + 2) + 30
    assert "30 s margin" in bound.reason and "6 s for a question under way" in bound.reason and "TTL of 60" in bound.reason


def test_the_latest_wait_decides_and_all_are_told() -> None:
    waits = new_name("a", 60, "the name", IDEAL) + new_name("b", 10, "the other", IDEAL)
    bound = not_before(waits, {"a": 0.0, "b": 100.0}, 0, 0)
    assert bound is not None and bound.instant == 110 and bound.reason.startswith("the other") and len(bound.parts) == 2
    with pytest.raises(KeyError):
        not_before(waits, {"a": 0.0}, 0, 0)


@given(st.floats(0.001, 10), st.integers(1, 100000))
def test_rule_14_lies_between_asking_always_and_once_a_ttl(rate: float, ttl: int) -> None:
    load = load_of_ttl(rate, ttl, 5)
    assert 0 < load <= 5 * rate and load <= 5 / ttl
