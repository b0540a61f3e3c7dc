"""Waits become instants with reasons; what a TTL costs. The rules are held against every cache in test_rehearsal.py."""

from hypothesis import assume, given
from hypothesis import strategies as st

from legatum.core.calendar.timing import Caution, Wait, load_of_ttl, not_before
from legatum.core.moves.assembly import play
from legatum.core.moves.effects import Records, RRsetChange
from legatum.core.moves.needs import Lowered, OldDataExpired
from legatum.core.moves.place import Premises, Served
from legatum.core.moves.timeline import timeline_at_the_beginning
from legatum.core.moves.waiting.waits import waits_for
from legatum.core.records.name import parse_name
from legatum.core.records.rrset import rrset
from legatum.core.records.rrtype import A

ZONE, KEY = parse_name("kilnandclay.example."), (parse_name("www.kilnandclay.example."), A)
IDEAL = Caution(0, 0, 0)


def last_old_answer(old_ttl: int, low_ttl: int, lowered: int, changed: int) -> int:
    """By trying: the last moment at which some cache that asked at any moment may still give the old data."""
    return max(at + (old_ttl if at < lowered else low_ttl) for at in range(-old_ttl - 1, changed))


@given(st.integers(1, 6), st.integers(1, 12), st.integers(1, 12), st.integers(0, 20))
def test_rules_1_and_2_for_one_rrset(lowered: int, old_ttl: int, low_ttl: int, after: int) -> None:
    """The old data are gone just then; and changed when rule 1 allows, they are gone as soon as with the low TTL
    alone."""
    first, low, new = (
        rrset(KEY[0], A, ttl, [data]) for ttl, data in ((old_ttl, b"1"), (low_ttl, b"1"), (low_ttl, b"2"))
    )
    premises = Premises(ZONE, "", (), (Served("alder", ZONE, (first,), 60),))
    timeline = timeline_at_the_beginning(premises)
    play(timeline, [Records("alder", ZONE, (RRsetChange(first, low),))], 0, "lower")
    when = {
        wait.after: wait.seconds + wait.slack - 1 for wait in waits_for(Lowered(ZONE, KEY), timeline, premises, IDEAL)
    }
    change = lowered + when.get("lower", 0) + after
    assume(change > lowered)  # else it was never given with the second TTL
    play(timeline, [Records("alder", ZONE, (RRsetChange(low, new),))], 1, "change")
    happened = {"lower": lowered, "change": change}
    bound = max(
        happened[wait.after] + wait.seconds for wait in waits_for(OldDataExpired(ZONE, KEY), timeline, premises, IDEAL)
    )
    assert bound == last_old_answer(old_ttl, low_ttl, lowered, change) + 1
    if low_ttl < old_ttl:
        assert bound == change + low_ttl


def test_the_floor_replaces_each_shorter_ttl_and_the_margin_is_seen() -> None:
    caution = Caution(floor=300, time_out=6, margin=30)
    assert caution.lasts(60) == 300 and caution.lasts(3600) == 3600 and caution.slack(2) == 14
    wait = Wait("parents", caution.lasts(60), caution.slack(1), 4, "the servers handed it out until {at}")
    bound = not_before([wait], {"parents": 1000.0}, 1000, caution.margin)
    assert bound is not None and bound.instant == 1000 + 300 + 7 + 30
    assert (
        "00:16:40" in bound.reason and "30 s margin" in bound.reason and "7 s for a question under way" in bound.reason
    )


def test_the_latest_wait_decides_and_all_are_told() -> None:
    waits = [Wait("a", 60, 0, 3, "the name since {at}"), Wait("b", 10, 0, 3, "the other since {at}")]
    bound = not_before(waits, {"a": 100.0, "b": 200.0}, 0, 0)
    assert (
        bound is not None
        and bound.instant == 210
        and len(bound.parts) == 2
        and bound.parts[0][1].startswith("the other")
    )
    assert not_before([], {}, 0, 30) is None


@given(st.floats(0.001, 10), st.integers(1, 100000))
def test_rule_14_lies_between_asking_always_and_once_a_ttl(rate: float, ttl: int) -> None:
    load = load_of_ttl(rate, ttl, 5)
    assert 0 < load <= 5 * rate and load <= 5 / ttl
