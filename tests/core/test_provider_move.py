"""The runbook of a provider move: its order, its waits, its forecast."""

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from legatum.core.moves.provider import Observed, Side, Wish, draft
from legatum.core.name import parse_name
from legatum.core.runbook import Outcome, forecast, hold_of, next_step
from legatum.core.timing import Caution

ALDER = tuple(parse_name(f"ns{number}.alder.test.") for number in (1, 2))
BIRCH = tuple(parse_name(f"ns{number}.birch.example.") for number in (1, 2))
SEEN = Observed(
    parse_name("kilnandclay.example."),
    1000.0,
    parse_name("example."),
    3600,
    86400,
    86400,
    1800,
    7,
    14400,
    ALDER,
    ((BIRCH[0], 600),),
    unsigned="no DS",
)
WISH = Wish("m1", Side("alder", ALDER), Side("birch", BIRCH), "flint", 300, 86400, 240, Caution(300, 4, 30))


def test_records_first_delegation_second_nothing_ended_early() -> None:
    order = [step.id for step in draft(SEEN, WISH).steps]
    assert order == ["gather", "publish", "compare", "lower", "ready", "apex", "switch", "parents", "confirm", "raise", "end"]


@given(st.integers(1, 10**6), st.integers(1, 10**6), st.integers(1, 10**6), st.integers(0, 3600), st.booleans())
def test_the_old_service_never_ends_before_rule_4_allows(parent_ttl: int, apex_ttl: int, low: int, floor: int, changes: bool) -> None:
    """Whatever was observed: the end lies at or after max(t_p + T_par, t_c + T_ns), or t_p + T_par + T_ns with a fixed NS set."""
    seen = replace(SEEN, parent_ttl=parent_ttl, apex_ttl=apex_ttl)
    wish = replace(WISH, low_ttl=low, old=replace(WISH.old, changes_apex_ns=changes), caution=Caution(floor, 4, 0))
    standings = {each.step.id: each for each in forecast(draft(seen, wish), {}, 0.0)}
    end, parents = standings["end"].expected, standings["parents"].expected + 240
    assert end >= parents + max(parent_ttl, floor)
    if changes:
        served_low = standings["apex"].expected
        assert end >= served_low + max(min(low, apex_ttl), floor)
        assert end >= standings["lower"].expected + max(apex_ttl, floor)
        assert standings["ready"].expected >= standings["lower"].expected + max(apex_ttl, floor) - max(min(low, apex_ttl), floor)
    else:
        assert "lower" not in standings and "apex" not in standings
        assert end >= parents + max(parent_ttl, floor) + max(apex_ttl, floor)


def test_holds_run_from_what_was_measured() -> None:
    runbook = draft(SEEN, WISH)
    outcomes: dict[str, Outcome] = {}
    for at, step in enumerate(("gather", "publish", "compare", "lower"), 5000):
        found = next_step(runbook, outcomes)
        assert found is not None and found.id == step
        assert hold_of(runbook, found, outcomes, 0) is None
        outcomes[step] = Outcome(step, float(at), float(at), "")
    ready = next_step(runbook, outcomes)
    assert ready is not None and ready.id == "ready"
    bound = hold_of(runbook, ready, outcomes, 0)
    assert bound is not None and bound.instant == 5003 + 86400 - 300 + 5 + 30 and bound.rule == 1
    standings = list(forecast(runbook, outcomes, 6000.0))
    assert standings[3].outcome is not None and standings[4].expected == bound.instant
    for step in runbook.steps:
        outcomes.setdefault(step.id, Outcome(step.id, 1.0, 1.0, ""))
    assert next_step(runbook, outcomes) is None


def test_a_wait_names_only_earlier_steps() -> None:
    for wish in (WISH, replace(WISH, old=replace(WISH.old, changes_apex_ns=False))):
        known: set[str] = set()
        for step in draft(SEEN, wish).steps:
            assert {wait.after for wait in step.waits} <= known
            known.add(step.id)
    with pytest.raises(StopIteration):
        draft(SEEN, WISH).step("nonsense")
