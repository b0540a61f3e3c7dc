"""What may still be held: what a look adds to memory, what it ends, and until when each copy counts."""

from dataclasses import replace

import pytest

from legatum.core.calendar.timing import Caution
from legatum.core.memory.copies import HeldCopy, copies, kept_sets, still_held
from legatum.core.memory.given import ABSENT, Given, GivenSet, Look, absent, seen_of
from legatum.core.moves.outcome import Outcome
from legatum.core.moves.place import PARENT
from legatum.core.moves.recall import recalled
from legatum.core.moves.runbook import Past, Runbook, hold_of
from legatum.core.records.name import Name, parse_name
from legatum.core.records.presentation import parse_rdata
from legatum.core.records.rrset import RRset, rrset
from legatum.core.records.rrtype import DS, NS, SOA, TXT, A
from legatum.core.rehearsal import rehearse
from tests.core.moves.drawn import ALDER, AT, BIRCH, DOMAIN, ZONE, plan, plan_input
from tests.core.moves.test_trust import plan as signed_plan

CAUTION = Caution(300, 4, 30)
SLACK = 4 + 1 + 30


def given(place: str, each: RRset, first: float, gone: float | None) -> Given:
    (seen,) = seen_of(place, [each])
    return Given(1, *seen, first, first, gone)


def web(ttl: int, last: int = 80) -> RRset:
    return rrset(DOMAIN, A, ttl, [bytes([198, 51, 100, last])])


@pytest.mark.parametrize(
    ("rows", "present", "until"),
    [
        ([("alder", web(3600), 0, 900)], web(10), 900 + 3600 + SLACK),  # lowered: longer than now
        ([("alder", web(10, 81), 0, 900)], web(10), 900 + 300 + SLACK),  # other data, and the floor of resolvers
        ([("alder", web(3600), 0, None)], web(10), 1000 + 3600 + SLACK),  # not seen to end: given up to now
        ([("alder", web(86400), 0, 100), ("alder", web(3600), 100, 990)], web(10), 100 + 86400 + SLACK),
        ([("alder", web(3600), 0, 900)], web(3600), None),  # what is given still
        ([("alder", web(3600), 0, 900)], web(7200), None),
        ([("alder", web(3600), -9000, -8000)], web(10), None),  # long gone
        ([("birch", web(600), 0, 900)], None, 900 + 600 + SLACK),  # taken away since
    ],
)
def test_how_long_what_was_given_counts(
    rows: list[tuple[str, RRset, float, float | None]], present: RRset | None, until: float | None
) -> None:
    found = still_held(copies([given(*each) for each in rows], 1000.0), present, 1000.0, CAUTION)
    assert (found[0].until(CAUTION) if found else None) == until
    if found:
        assert f"with a TTL of {found[0].ttl}" in found[0].reason(
            1000.0, CAUTION
        ) and "5 s for a question under way" in found[0].reason(1000.0, CAUTION)


def test_that_a_name_was_not_there_is_remembered_too() -> None:
    seen = absent("alder", DOMAIN, A, 1800)
    (copy,) = copies([Given(1, *seen, 0, 0, 900)], 1000)
    assert (
        copy.absent and copy.differs(web(60)) and not copy.differs(None) and copy.until(CAUTION) == 900 + 1800 + SLACK
    )
    assert "that there is no A" in copy.text(1000)


@pytest.mark.parametrize(
    ("look", "ended"),
    [
        (Look(DOMAIN, 5.0, tuple(seen_of("alder", [web(10)])), frozenset([("alder", DOMAIN, A)])), [1]),
        (Look(DOMAIN, 5.0, tuple(seen_of("alder", [web(3600)])), frozenset([("alder", DOMAIN, A)])), []),
        (
            Look(DOMAIN, 5.0, tuple(seen_of("alder", [web(10)]))),
            [],
        ),  # about to be sent: what was given may be given still
        (Look(DOMAIN, 5.0, (), frozenset([("birch", DOMAIN, A)])), [3]),
        (Look(DOMAIN, 5.0, (), whole=frozenset(["alder"])), [1, 2]),
    ],
)
def test_what_a_look_ends(look: Look, ended: list[int]) -> None:
    text = rrset(DOMAIN, TXT, 60, [parse_rdata(TXT, '"a | b"', DOMAIN)])
    rows = [
        given("alder", web(3600), 0, None),
        given("alder", text, 0, None)._replace(number=2),
        given("birch", web(3600), 0, None)._replace(number=3),
    ]
    assert [each.number for each in look.ended(rows)] == ended


def test_what_nobody_wrote_down_by_whom_ends_with_any_look() -> None:
    row = given("", web(3600), 0, None)
    assert Look(DOMAIN, 5.0, (), frozenset([("alder", DOMAIN, A)])).ended([row]) == [row]
    assert Look(DOMAIN, 5.0, (), frozenset([("alder", DOMAIN, TXT)])).ended([row]) == []


def test_data_that_are_not_all_there_count_with_the_present_ones() -> None:
    (copy,) = copies([Given(1, "alder", DOMAIN, TXT, 86400, '"a" | ' + "x" * 2000, 0, 0, 900)], 1000)
    assert copy.rrset is None and copy.as_given(web(60)) == web(86400) and copy.as_given(None) is None


def names(*texts: str) -> tuple[Name, ...]:
    return tuple(sorted(parse_name(each) for each in texts))


def test_ns_sets_by_which_somebody_may_go_still() -> None:
    old, new = (rrset(DOMAIN, NS, 3600, sorted(each.servers)) for each in (ALDER, BIRCH))
    found = copies([given(PARENT, old, 0, 500), given("birch", new, 0, None)], 1000)
    (kept,) = kept_sets(found, DOMAIN, {new.rdatas}, 1000, CAUTION)
    assert (
        kept.names == tuple(sorted(ALDER.servers))
        and kept.until == 500 + 3600 + SLACK
        and "the parent gave the NS set" in kept.text
    )


def carried(until: str) -> tuple[Runbook, dict[str, Outcome]]:
    """The move to birch, with everything before a step done, each step a minute after its hold."""
    runbook, outcomes, now = plan("provider"), dict[str, Outcome](), AT
    for step in runbook.steps:
        if step.id == until:
            return runbook, outcomes
        bound = hold_of(runbook, step, outcomes, now)
        now = max(now, bound.instant if bound else now) + 60
        outcomes[step.id] = Outcome(step.id, now, now, "")
    raise AssertionError(until)


def test_a_ttl_raised_and_put_back_in_the_middle_of_a_move_counts_to_its_end() -> None:
    """Whatever was handed out beside the plan holds the step that takes the old side away, and the rehearsal knows
    it."""
    runbook, outcomes = carried("end")
    at = max(each.all for each in outcomes.values())
    apex = ZONE.apex_ns
    assert apex is not None
    raised = HeldCopy("alder", DOMAIN, NS, 2 * 86400, apex.with_ttl(2 * 86400), at - 200, at - 100, True)
    known = recalled(runbook, outcomes, {DOMAIN: [raised]}, at)
    bound = hold_of(known, known.step("end"), outcomes, at)
    assert bound is not None and bound.instant == at - 100 + 2 * 86400 + 5 + runbook.margin and bound.rule == 4
    assert "with a TTL of 172800" in bound.reason and rehearse(known, outcomes, at).safe
    hasty = replace(
        known, steps=tuple(replace(new, waits=old.waits) for new, old in zip(known.steps, runbook.steps, strict=True))
    )
    assert not rehearse(hasty, outcomes, at).safe


def test_what_the_plan_knows_itself_is_nothing_new() -> None:
    runbook, outcomes = carried("end")
    at = max(each.all for each in outcomes.values())
    apex = ZONE.apex_ns
    assert apex is not None
    parents = outcomes["parents"].all
    own = [
        HeldCopy("alder", DOMAIN, NS, apex.ttl, apex, 0, AT, True),
        HeldCopy(PARENT, DOMAIN, NS, 3600, rrset(DOMAIN, NS, 3600, sorted(ALDER.servers)), 0, parents, True),
        HeldCopy("alder", DOMAIN, SOA, 1800, None, 0, at, False, True),
    ]
    assert recalled(runbook, outcomes, {DOMAIN: own}, at) == runbook
    elsewhere = HeldCopy("alder", parse_name("cellar.kilnandclay.example."), A, 9999, web(9999), 0, at, True)
    assert recalled(runbook, outcomes, {DOMAIN: [elsewhere]}, at) == runbook  # nothing rests on it


def test_a_ds_set_put_back_meanwhile_is_waited_for() -> None:
    """What validating resolvers fetched then is as good as what the plan took away; a set of keys that the plan does
    not know is told by the looks of its steps."""
    runbook = signed_plan("unsigned")

    def past(records: str) -> list[Past]:
        ds = rrset(DOMAIN, DS, 864000, [parse_rdata(DS, records, DOMAIN)])
        copy = HeldCopy(PARENT, DOMAIN, DS, 864000, ds, runbook.drafted - 50, runbook.drafted - 10, True)
        return sorted(
            set(recalled(runbook, {}, {DOMAIN: [copy]}, runbook.drafted).past) - set(runbook.past),
            key=lambda each: each.label,
        )

    (known,) = past("12 13 2 " + "ab" * 32)
    assert known.everywhere == runbook.drafted - 10 and "DS with 864000 at the parent" in known.label
    assert past("12345 13 2 " + "ab" * 32) == []


def test_an_soa_record_of_before_leaves_no_copy_behind() -> None:
    """Of serials, it counts only what is given in the end."""
    runbook = plan("soa", plan_input(follows=("cedar",)))
    older = rrset(DOMAIN, SOA, 7200, [ZONE.soa._replace(serial=77).rdata()])
    copy = HeldCopy("alder", DOMAIN, SOA, 7200, older, (now := runbook.drafted + 30) - 20, now - 10, True)
    known = recalled(runbook, {}, {DOMAIN: [copy]}, now)
    assert len(known.past) == len(runbook.past) + 1
    assert rehearse(known, {}, now).safe


def test_the_data_of_a_set_come_back_as_they_were() -> None:
    for each in ZONE.unsorted:
        assert copies([given("alder", each, 0, None)], 10)[0].rrset == each
    assert GivenSet("alder", DOMAIN, A, 60, ABSENT) == absent("alder", DOMAIN, A, 60)
