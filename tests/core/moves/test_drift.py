"""What the steps done have left is no drift, of no kind and at no step; whatever else is seen is told, with what to
do."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from legatum.core.moves.drift.drift import HandedOn, contents_drift, delegation_drift, readable, registered_drift
from legatum.core.moves.drift.position import Position
from legatum.core.moves.drift.sides import edits_told, sides_differ
from legatum.core.moves.effects import Delegated, Published, Records
from legatum.core.moves.outcome import Outcome
from legatum.core.moves.place import PARENT
from legatum.core.moves.runbook import Runbook
from legatum.core.records.name import below, parse_name
from legatum.core.records.rrset import RRset, rrset, targets
from legatum.core.records.rrtype import NS, A
from legatum.core.zones.zone import Zone
from tests.core.moves.drawn import DOMAIN, KINDS, ZONE, plan

PLANS = {kind: plan(kind) for kind in KINDS}
STRANGER = (parse_name("ns1.somebody.test."),)


def position(runbook: Runbook, done: int) -> Position:
    outcomes = {step.id: Outcome(step.id, 2000.0, 2000.0, "done") for step in runbook.steps[:done]}
    return Position(runbook, runbook.steps[done], outcomes)


def delegation(at: Position) -> RRset | None:
    return at.timeline.rrset(PARENT, at.runbook.premises.parent_zone, DOMAIN, NS)


def contents(at: Position, place: str, zone_name: bytes) -> Zone:
    """What the place should have by the plan: of what the plan does not follow, as it was."""
    keys = at.timeline.keys(zone_name)  # type: ignore[arg-type]
    # type: ignore[arg-type]
    said = [each for key in keys if (each := at.timeline.rrset(place, zone_name, *key)) is not None]
    return Zone(parse_name("x."), ()).of(zone_name, {}).with_rrsets(said)  # type: ignore[arg-type]


@st.composite
def positions(draw: st.DrawFn) -> Position:
    runbook = PLANS[draw(st.sampled_from(sorted(PLANS)))]
    return position(runbook, draw(st.integers(0, len(runbook.steps) - 1)))


@given(positions())
def test_what_the_steps_left_is_no_drift(at: Position) -> None:
    handed = HandedOn({"203.0.113.1": delegation(at)}, ())
    assert delegation_drift(at, handed) == []
    assert registered_drift(at, "flint", targets(delegation(at))) == []
    for place, zone in readable(at, ("alder", "birch")):
        assert contents_drift(at, place, contents(at, place, zone), own_ns=False) == []


@given(positions(), st.data())
def test_whatever_is_otherwise_is_told(at: Position, data: st.DataObject) -> None:
    other = HandedOn({"203.0.113.1": delegation(at), "203.0.113.2": rrset(DOMAIN, NS, 60, STRANGER)}, ())
    looked_for = any(isinstance(each, Published) for each in at.step.effects)
    assert looked_for or any("ns1.somebody.test" in each.reason for each in delegation_drift(at, other))
    assert registered_drift(at, "flint", STRANGER)
    coming = {each.key for effect in at.step.effects if isinstance(effect, Records) for each in effect.changed}
    for place, zone in readable(at, ("alder", "birch")):
        served = contents(at, place, zone)
        left = sorted(each for each in served.unsorted if (each.name, each.rtype) not in coming)
        if left:
            changed = data.draw(st.sampled_from(left))
            (told,) = contents_drift(at, place, served.without([(changed.name, changed.rtype)]), own_ns=False)
            assert place in told.reason and ("is now nothing" in told.reason or told.undone), told


def test_a_switch_that_somebody_put_back_is_undone_with_all_that_rested_on_it() -> None:
    runbook = PLANS["provider"]
    order = [step.id for step in runbook.steps]
    at = position(runbook, order.index("end"))
    switch = next(step for step in runbook.steps if any(isinstance(each, Delegated) for each in step.effects))
    before = next(each.before for each in switch.effects if isinstance(each, Delegated))
    (told,) = delegation_drift(at, HandedOn({"203.0.113.1": rrset(DOMAIN, NS, 60, before)}, ()))
    assert told.undone == tuple(order[order.index("switch") : order.index("end")])
    (silent,) = delegation_drift(at, HandedOn({}, ("203.0.113.1",)))
    assert "is not known" in silent.reason and "switch" in silent.unseen


@pytest.mark.parametrize("clashes", [False, True])
def test_an_edit_at_one_side_brings_what_makes_it_at_the_other(clashes: bool) -> None:
    runbook = PLANS["provider"]
    at = position(runbook, len(runbook.steps) - 1)
    name = below("press", DOMAIN)
    edited = ZONE.with_rrsets([rrset(name, A, 60, [bytes((192, 0, 2, 9))])])
    other = ZONE.with_rrsets([rrset(name, A, 60, [bytes((192, 0, 2, 8))])]) if clashes else ZONE
    now = {"alder": edited, "birch": other}
    told = edits_told(at, {"alder": ZONE, "birch": ZONE}, now, ())
    assert [bool(each.mended) for each in told] == ([False, False] if clashes else [True])
    assert sides_differ(at, now, told, ()) == [] or clashes
    assert sides_differ(at, now, (), ()) and sides_differ(at, now, (), [(name, A)]) == []


def test_a_server_of_the_parent_that_lags_is_waited_for_and_named() -> None:
    """Once the change is looked for, by the look itself; at every other step the address is told, and the waits run
    anew."""
    runbook = PLANS["provider"]
    order = [step.id for step in runbook.steps]
    looks, confirms = position(runbook, order.index("parents")), position(runbook, order.index("end"))
    sets = {"203.0.113.1": delegation(confirms), "203.0.113.2": rrset(DOMAIN, NS, 60, STRANGER)}
    assert delegation_drift(looks, HandedOn(sets, ())) == []
    (told,) = delegation_drift(confirms, HandedOn(sets, ()))
    assert (
        told.reason.startswith("203.0.113.2 of the parent's servers hands out ns1.somebody.test")
        and "switch" in told.unseen
    )
    (all_of_them,) = delegation_drift(looks, HandedOn(dict.fromkeys(sets, rrset(DOMAIN, NS, 60, STRANGER)), ()))
    assert "draft again" in all_of_them.remedy
