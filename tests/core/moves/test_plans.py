"""Plans: what comes in which order, what contradicts itself, what is remembered, and when the old side may end."""

from dataclasses import replace
from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from legatum.core.calendar.timing import Caution
from legatum.core.memory.copies import HeldCopy
from legatum.core.moves.drift.redraw import redrawn
from legatum.core.moves.effects import Answered, Records
from legatum.core.moves.kinds.address import NewAddress
from legatum.core.moves.kinds.first_and_last import Retirement
from legatum.core.moves.kinds.hosts import Hosts
from legatum.core.moves.kinds.part import Part
from legatum.core.moves.kinds.second import Second
from legatum.core.moves.kinds.site import Alias
from legatum.core.moves.kinds.verification import Verification
from legatum.core.moves.kinds.zone_data import Soa, Ttls
from legatum.core.moves.outcome import Outcome
from legatum.core.moves.plan import AT_ONCE, LOWERED, Wish, draw, sooner_plan
from legatum.core.moves.retreat import Begun, draft_retreat
from legatum.core.moves.runbook import forecast, hold_of, next_step
from legatum.core.records.name import parse_name
from legatum.core.records.presentation import rdata_texts
from legatum.core.records.rrtype import NS, TXT, A
from legatum.core.rehearsal import rehearse
from legatum.core.running.fault import Fault
from tests.core.moves.drawn import ALDER, AT, DOMAIN, HOST, KINDS, MARGIN, ZONE, plan, plan_input

WWW, APP = parse_name("www.kilnandclay.example."), parse_name("app.kilnandclay.example.")


def ids(*wishes: Wish, **more: object) -> list[str]:
    return [step.id for step in draw(plan_input(**more), "m1", "tried", list(wishes)).steps]  # type: ignore[arg-type]


def test_records_first_delegation_second_nothing_ended_early() -> None:
    lowered = ["gather", "publish", "compare", "lower", "ready", "apex", "switch", "parents", "confirm", "raise", "end"]
    assert ids(KINDS["provider"]) == lowered
    assert ids(KINDS["provider"], at_once=True) == [each for each in lowered if each != "lower"]
    assert ids(KINDS["part"]) == ["child", "ready", "cut", "confirm"]
    assert ids(KINDS["alias"]) == ["lower-alias", "alias", "confirm-alias", "raise-alias", "old-address"]
    assert ids(KINDS["addresses"], at_once=True) == ["alias", "confirm-alias", "old-address"]
    assert ids(KINDS["mail"]) == ["mail-records", "lower-mail", "mail", "confirm-mail", "raise-mail", "old-mail"]
    assert ids(KINDS["verify"]) == ["verify", "confirm-verify", "verified"]
    assert ids(KINDS["second"]) == ["join", "ready", "apex", "switch", "parents", "confirm"]


def test_several_wishes_make_one_plan_in_which_everything_is_done_at_both_sides() -> None:
    together = ids(
        KINDS["provider"],
        NewAddress("192.0.2.10", "192.0.2.99"),
        Ttls({(parse_name("mail.kilnandclay.example."), A): 60}),
    )
    assert [each for each in together if each.startswith("address")] == ["address", "address-2"]
    assert (
        together.index("publish")
        < together.index("lower-addresses")
        < together.index("ready")
        < together.index("address")
    )
    assert (
        together.index("confirm-address")
        < together.index("end")
        < together.index("old-address")
        < together.index("old-sender")
    )
    both = draw(plan_input(), "m1", "both", [KINDS["provider"], NewAddress("192.0.2.10", "192.0.2.99")])
    assert rehearse(both, {}, AT).safe


def test_texts_of_several_wishes_at_one_name_stand_side_by_side() -> None:
    """Mail's senders and a text for somebody else, both at the apex, each until its own end; and so on the way back."""
    verified = Verification(((DOMAIN, "site-check=4f1c"),), 60)
    move = draw(plan_input(), "m1", "both", [KINDS["mail"], verified])
    rows = [
        (step.id, set(rdata_texts(each.before)), set(rdata_texts(each.after)))
        for step in move.steps
        for effect in step.effects
        if isinstance(effect, Records)
        for each in effect.changed
        if each.key == (DOMAIN, TXT)
    ]
    assert [row[0] for row in rows] == ["mail-records", "verify", "old-mail", "verified"]
    assert all(
        before[2] == after[1] for before, after in pairwise(rows)
    )  # each begins with what the one before it left
    check = '"site-check=4f1c"'
    assert [check in row[2] for row in rows] == [False, True, True, False]
    assert rows[-1][2] == set(
        rdata_texts(draw(plan_input(), "m1", "mail", [KINDS["mail"]]).steps[-1].effects[0].changed[0].after)
    )  # type: ignore[attr-defined]
    looked = [effect for step in move.steps for effect in step.effects if isinstance(effect, Answered)]
    assert all(
        check in rdata_texts(each)
        for effect in looked
        for each in effect.rrsets
        if (each.name, each.rtype) == (DOMAIN, TXT)
    )
    assert rehearse(move, {}, AT).safe


@pytest.mark.parametrize(
    ("wishes", "says"),
    [
        ([], "nothing shall be different"),
        ([KINDS["provider"], Second("cedar")], "each in its own way"),
        ([Retirement(), KINDS["ttl"]], "stand for the whole domain"),
        ([KINDS["provider"], Soa(refresh=7200)], "of the provider that serves the zone"),
        ([NewAddress("192.0.2.10", "192.0.2.99"), Ttls({(WWW, A): 60})], "changed by two wishes"),
        ([KINDS["ttl"], KINDS["ttl"]], "wished for twice"),
        ([NewAddress("192.0.2.77", "192.0.2.99")], "is nowhere"),
        ([NewAddress("192.0.2.10", "2001:db8::1")], "two families"),
        ([Hosts({parse_name("ns1.alder.test."): ("192.0.2.1",)}, {})], "is not below"),
        ([Hosts({}, {}, (HOST,), alone=True)], "the only one left of 2 name servers"),
        ([Part(APP, "alder")], "in the zone above"),
        ([Part(DOMAIN, "birch")], "is not below"),
        ([Second("cedar", leaves=True)], "is no second provider"),
        ([Soa(retry=20000)], "not shorter than refresh"),
        ([Ttls({(APP, TXT): 60})], "is not in the zone"),
        ([KINDS["alias"], Ttls({(APP, A): 60})], "changed by two wishes"),
        ([KINDS["mail"], NewAddress("192.0.2.10", "192.0.2.99")], "changed by two wishes"),
        ([KINDS["mail"], Verification(((DOMAIN, "v=spf1 ip4:192.0.2.7 -all"),), 60)], "two SPF records"),
        (
            [KINDS["mail"], Verification(((parse_name("a._domainkey.kilnandclay.example."), "v=DKIM1; p=ab"),), 60)],
            "wanted by two wishes",
        ),
        ([Alias(parse_name("sub.kilnandclay.example."), WWW)], "is delegated"),
        ([Verification(((DOMAIN, "v=spf1 ip4:192.0.2.10 -all"),), 60)], "there already"),
    ],
)
def test_what_contradicts_itself_is_refused_with_the_reason(wishes: list[Wish], says: str) -> None:
    with pytest.raises(Fault) as seen:
        draw(plan_input(at_once=True), "m1", "tried", wishes)
    assert says in seen.value.message and seen.value.remedy


def test_senders_are_named_side_by_side_as_long_as_either_sends() -> None:
    move = plan("address")
    texts = {
        step.id: rdata_texts(effect.changed[0].after)
        for step in move.steps
        for effect in step.effects
        if step.id in ("senders", "old-sender")
    }  # type: ignore[attr-defined]
    assert texts["senders"] == ['"v=spf1 ip4:192.0.2.10 ip4:192.0.2.99 -all"'] and texts["old-sender"] == [
        '"v=spf1 ip4:192.0.2.99 -all"'
    ]


@given(st.integers(1, 10**6), st.integers(1, 10**6), st.integers(1, 10**6), st.integers(0, 3600), st.booleans())
def test_the_old_service_never_ends_before_rule_4_allows(
    parent_ttl: int, apex_ttl: int, low: int, floor: int, keeps: bool
) -> None:
    """Whatever was observed: the end lies at or after max(t_p + T_par, t_c + T_ns), or t_p + T_par + T_ns with a fixed
    NS set, which the old side goes on giving: then it is not ended."""
    assert ZONE.apex_ns is not None
    places = (plan_input().places[0], replace(ALDER, own_ns=keeps), *plan_input().places[2:])
    zone = ZONE.with_rrsets([ZONE.apex_ns.with_ttl(apex_ttl)])
    of = plan_input(zone, parent_ttl=parent_ttl, low_ttl=low, caution=Caution(floor, 4, 0), places=places)
    slots = {each.step.id: each for each in forecast(plan("provider", of), {}, 0.0)}
    assert ("end" in slots) == (not keeps)
    end, parents = slots["confirm" if keeps else "end"].expected, slots["parents"].expected + 240
    assert end >= parents + max(parent_ttl, floor)
    if keeps:
        assert "lower" not in slots and "apex" not in slots
        assert end >= parents + max(parent_ttl, floor) + max(apex_ttl, floor)
    else:
        assert end >= slots["apex"].expected + max(min(low, apex_ttl), floor)
        assert "lower" not in slots or end >= slots["lower"].expected + max(apex_ttl, floor)


def test_holds_run_from_what_was_measured() -> None:
    runbook = plan("provider")
    outcomes: dict[str, Outcome] = {}
    for at, step in enumerate(("gather", "publish", "compare", "lower"), 5000):
        found = next_step(runbook, outcomes)
        assert found is not None and found.id == step and hold_of(runbook, found, outcomes, 0) is None
        outcomes[step] = Outcome(step, float(at), float(at), "")
    ready = next_step(runbook, outcomes)
    assert ready is not None and ready.id == "ready"
    bound = hold_of(runbook, ready, outcomes, 0)
    assert bound is not None and bound.instant == 5003 + 86400 - 300 + 5 + MARGIN and bound.rule == 1


def test_of_two_speeds_the_shorter_one_is_taken_and_both_are_told() -> None:
    chosen, ends = sooner_plan(plan_input(), "m1", "to birch", [KINDS["provider"]])
    assert (
        set(ends) == {LOWERED, AT_ONCE}
        and ends[AT_ONCE] < ends[LOWERED]
        and "lower" not in [step.id for step in chosen.steps]
    )
    assert sooner_plan(plan_input(), "m1", "second", [KINDS["second"]])[1] == {}  # no TTL to lower: one speed


def test_what_was_served_before_counts_whoever_saw_it() -> None:
    """A TTL that was lowered by hand, or by a plan that was drawn again: copies with the old one are still about."""
    assert ZONE.apex_ns is not None
    low = ZONE.with_rrsets([ZONE.apex_ns.with_ttl(300)])
    forgetful = plan("provider", plan_input(low))
    seen = HeldCopy("alder", DOMAIN, NS, 86400, None, 0, AT - 60, True)
    knowing = plan("provider", plan_input(low, remembered={DOMAIN: (seen,)}))
    ends = [list(forecast(each, {}, AT))[-1].ends for each in (forgetful, knowing)]
    assert ends[1] - ends[0] > 70_000 and rehearse(knowing, {}, AT).safe
    hasty = replace(
        knowing,
        steps=tuple(replace(new, waits=old.waits) for new, old in zip(knowing.steps, forgetful.steps, strict=True)),
    )
    assert not rehearse(hasty, {}, AT).safe
    long_ago = replace(seen, given_until=AT - 100_000)
    assert plan("provider", plan_input(low, remembered={DOMAIN: (long_ago,)})).steps == forgetful.steps


@pytest.mark.parametrize("ttl", [60, 7200])
def test_another_ttl_at_the_parent_is_drawn_anew(ttl: int) -> None:
    """A larger one counts from now on; of a smaller one it is remembered that it was larger."""
    move = plan("provider")
    above = move.premises.of("the parent", move.premises.parent_zone)
    assert above is not None
    (present,) = above.rrsets
    where = ("the parent", move.premises.parent_zone, (DOMAIN, NS))
    again = redrawn(move, {where: present}, {where: present.with_ttl(ttl)}, AT + 100)
    assert rehearse(again, {}, AT + 100).safe
    (wait,) = [each for each in again.step("confirm").waits if each.after == "parents"]
    assert wait.seconds == max(ttl, 300)


@pytest.mark.parametrize("kind", KINDS)
def test_what_visitors_can_feel_is_done_in_windows_and_the_rest_at_any_time(kind: str) -> None:
    housed = plan_input(
        windows=("Sat 22:00-04:00", "Wed 01:00-02:00"), quiet=("1970-01-07",), time_zone="Europe/Berlin"
    )
    runbook = plan(kind, housed)
    slots = list(forecast(runbook, {}, AT))
    felt = [slot for slot in slots if slot.step.felt]
    assert felt or kind in ("ttl", "soa", "verify")
    for slot in felt:
        begins, text = runbook.premises.times.next(slot.first) or (0.0, "")
        assert begins <= slot.first, (slot.step.id, slot.first)
        if slot.bound is not None and slot.bound.rule == 0 and "as wished" not in slot.bound.reason:
            assert slot.bound.instant == slot.first and f"in the window {text}" in slot.bound.reason
    assert any(slot.bound is not None and slot.bound.rule == 0 for slot in felt) == bool(felt)
    assert rehearse(runbook, {}, AT).safe
    assert all(slot.bound is None or slot.bound.rule for slot in slots if not slot.step.felt)
    step = felt[0].step if felt else slots[0].step
    done = (
        {slot.step.id: Outcome(slot.step.id, slot.first, slot.first, "done") for slot in slots[: slots.index(felt[0])]}
        if felt
        else {}
    )
    late = slots[-1].ends + 86400
    hold, any_time = hold_of(runbook, step, done, late), hold_of(runbook, step, done, late, any_time=True)
    assert any_time is None or any_time.instant <= late
    if felt and hold is not None and hold.instant > late:
        assert hold.rule == 0
    back = draft_retreat(runbook, {slot.step.id: Begun(slot.first, slot.ends) for slot in slots}, late)
    assert not [
        slot for slot in forecast(back, {}, late) if slot.bound is not None and slot.bound.rule == 0
    ]  # a way back waits for none


def test_a_house_without_any_window_plans_nothing_that_is_felt() -> None:
    with pytest.raises(Fault, match="no window comes within a year"):
        plan("provider", plan_input(windows=("Sat 22:00-04:00",), quiet=("daily 00:00-24:00",)))
    assert plan("ttl", plan_input(windows=("Sat 22:00-04:00",), quiet=("daily 00:00-24:00",))).steps
