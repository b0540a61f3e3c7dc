"""Until when old answers live, when to lower TTLs for a switch: held against resolvers that fetch at any moment; costs,
SOA timers."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from legatum.core.calendar.timing import Caution
from legatum.core.records.name import parse_name
from legatum.core.records.rrtype import NS, SOA, A
from legatum.core.records.soa import SoaFields
from legatum.core.timetable.aging import all_aged, decisive
from legatum.core.timetable.cost import cost_of, measured_demand, supposed_demand
from legatum.core.timetable.soa import COUNTER, DATE, SECONDS, meanings, oddities, scheme_changes, scheme_of
from legatum.core.timetable.subject import Role, Subject
from legatum.core.timetable.switch import lowering, wished

DOMAIN = parse_name("kilnandclay.example.")
WWW = parse_name("www.kilnandclay.example.")
NOW = 1_800_000_000.0
BARE = Caution(0, 0, 0)  # a question takes no time: one second is left for TTLs that are cut to whole ones
SOA_FIELDS = SoaFields(
    parse_name("ns1.alder.test."), parse_name("hostmaster.alder.test."), 7, 14400, 900, 1209600, 1800
)


def data(ttl: int, *others: int, role: Role = Role.DATA, ours: bool = True) -> Subject:
    ttls = {f"192.0.2.{number}": each for number, each in enumerate((ttl, *others), 1)}
    return Subject(role, WWW, A, ttls, "the servers of kilnandclay.example", ours)


def test_the_largest_ttl_of_all_servers_counts_and_says_so() -> None:
    silent = Subject(Role.NS, DOMAIN, NS, {"192.0.2.1": 3600, "192.0.2.2": 86400}, "its servers", True, ("192.0.2.9",))
    parent = Subject(Role.DELEGATION, DOMAIN, NS, {"203.0.113.1": 3600}, "the servers of example")
    foreign = Subject(Role.HOST, parse_name("ns1.alder.test."), A, {"its zone": 172800}, "the servers of alder.test")
    found = all_aged([parent, silent, foreign], NOW, 240, Caution(300, 3, 30))
    last = decisive(found)
    assert (
        last.matter is silent and last.until == NOW + 86400 + 4 + 30
    )  # somebody else's address changes when its owner changes it
    assert (
        "192.0.2.2, one of its servers" in last.reason
        and "others with 3600" in last.reason
        and "192.0.2.9 did not answer" in last.reason
    )
    handed = next(each for each in found if each.matter is parent)
    assert handed.until == NOW + 240 + 3600 + 4 + 30 and "need 4m to publish" in handed.reason
    short = all_aged([data(60)], NOW, 0, Caution(300, 3, 30))[0]
    assert short.until == NOW + 300 + 34 and "may keep it 5m" in short.reason


def held_until(fetched: float, lowered: float, old: int, low: int) -> float:
    """By a resolver that keeps what it fetched for its TTL, the second of the cut included."""
    return fetched + (low if fetched >= lowered else old) + 0.999


@given(st.integers(2, 172800), st.integers(1, 600), st.integers(0, 400000), st.floats(0, 1), st.floats(0, 1))
def test_lowered_in_time_no_old_answer_outlives_the_low_ttl(
    old: int, low: int, ahead: int, early: float, moment: float
) -> None:
    wish = NOW + ahead
    found = lowering(data(old), wish, low, NOW, 0, BARE)
    if found.by is None:
        assert old <= low
        return
    lowered = max(found.by - early * 3600, NOW) if not found.late(NOW) else NOW
    fetched = wish - moment * (old + 5) if wish - moment * (old + 5) < wish else wish - 0.001
    assert held_until(fetched, lowered, old, low) <= found.gone + 1e-6
    if not found.late(NOW):
        assert found.gone <= wish + low + 1 + 1e-6
        last = held_until(
            found.by + 1.1, found.by + 1.2, old, low
        )  # lowered a little too late: somebody holds it longer
        assert last > wish + low


@given(st.integers(301, 172800), st.integers(0, 300000))
def test_too_late_says_the_earliest_and_what_keeping_the_wish_costs(old: int, ahead: int) -> None:
    wish = NOW + ahead
    found = lowering(data(old), wish, 300, NOW, 0, BARE)
    assert found.late(NOW) == (wish < NOW + old - 300 + 1)
    assert found.earliest == NOW + old - 300 + 1 and 0 <= found.share_at(wish, NOW) <= 1
    assert not lowering(data(old), found.earliest, 300, NOW, 0, BARE).late(NOW)
    if found.late(NOW):
        assert found.gone >= NOW + old and (found.share_at(wish, NOW) > 0) == (NOW + old > wish + 300)


def test_a_switch_lowers_what_is_ours_and_tells_what_is_not() -> None:
    matters = [
        data(3600),
        data(86400, role=Role.NS),
        data(3600, role=Role.DELEGATION, ours=False),
        data(60),
        data(1800, role=Role.ABSENCE),
        data(3600, role=Role.SOA),
        data(999999, role=Role.HOST, ours=False),
    ]
    wish = wished(matters, NOW + 3 * 86400, 300, NOW, 3600, Caution(0, 3, 30))
    assert [each.matter.role for each in wish.lowerings if each.low is not None] == [Role.NS, Role.DATA]
    assert wish.by == NOW + 3 * 86400 - (86400 - 300) - 34 and not wish.late
    assert wish.overlap.matter.role == Role.DELEGATION and wish.gone == wish.at + 3600 + 3600 + 34
    assert [each.matter.role for each in wished(matters, NOW + 3600, 300, NOW, 0, BARE).late] == [Role.NS]
    absent = wished([data(1800, role=Role.ABSENCE)], NOW + 86400, 300, NOW, 0, BARE)
    assert absent.lowerings[0].low == 300  # a name that comes: how long its absence is kept


def test_costs_are_those_of_rule_14() -> None:
    demand = supposed_demand(10.0, 1000)
    assert cost_of(demand, 3600).load == pytest.approx(1000 * 0.1 / (1 + 0.1 * 3600))
    assert demand.share_old(3600, 0) == pytest.approx(360 / 361) and demand.share_old(3600, 1800) == pytest.approx(
        180 / 361
    )
    assert demand.share_old(3600, 3600) == 0


@given(st.lists(st.floats(0.001, 5), min_size=1, max_size=20), st.integers(5, 7200))
def test_what_was_counted_at_the_servers_tells_how_often_resolvers_are_asked(rates: list[float], ttl: int) -> None:
    seconds = 1e6
    counts = [round(rate / (1 + rate * ttl) * seconds) for rate in rates]
    found = measured_demand(counts, seconds, ttl)
    seen = sum(counts) / seconds
    assert found.load(ttl) == pytest.approx(seen, rel=0.05)
    for rate, told in zip(rates, found.rates, strict=True):
        if rate * ttl < 20:  # who asks as often as the TTL lets it may be asked more than can be told
            assert told == pytest.approx(rate, rel=0.1)


def test_soa_timers_are_told_in_plain_words() -> None:
    said = " ".join(meanings(SOA_FIELDS, 1800))
    assert "takes up to 4 h 15 min to reach it" in said and "stop answering after 14 d" in said
    assert "as missing for 30 min" in said and "every 15 min, 1328 times" in said
    assert list(oddities(SOA_FIELDS, 3600, {})) == []
    odd = SOA_FIELDS._replace(refresh=600, retry=900, expire=1200, minimum=86400)
    assert [each.timer for each in oddities(odd, 3600, {})] == [
        "refresh",
        "expire",
        "minimum",
        "retry",
        "expire",
        "minimum",
    ]
    assert [each.proposed for each in oddities(SOA_FIELDS, 3600, {"refresh": 7200, "retry": 900})] == [7200]


@pytest.mark.parametrize(
    ("serial", "name", "says", "following"),
    [
        (7, COUNTER, "a counter", 8),
        (2027011503, DATE, "2027-01-15, change 3 of that day; it can go on", 2027011504),
        (2027011499, DATE, "it can go on", 2027011500),
        (2027011599, DATE, "last number of the day", 2027011600),
        (2027031500, DATE, "still to come", 2027031501),
        (2031031500, DATE, "still to come", 2031031501),
        (1_799_999_000, SECONDS, "last set 16 min 40 s ago", 1_800_000_000),
        (2027023001, COUNTER, "a counter", 2027023002),  # there is no such day, and that second is to come
    ],
)
def test_how_serials_are_made_is_seen(serial: int, name: str, says: str, following: int) -> None:
    found = scheme_of(serial, NOW)  # 2027-01-15, in the morning
    assert (found.name, found.following) == (name, following) and says in found.words


def test_the_way_to_another_scheme_goes_by_steps_that_secondaries_take() -> None:
    changes = {each.name: each for each in scheme_changes(SOA_FIELDS._replace(serial=2027011503), NOW)}
    assert set(changes) == {COUNTER, SECONDS} and changes[COUNTER].lower and len(changes[COUNTER].path) == 2
    assert changes[COUNTER].path[-1] == 1 and changes[COUNTER].hold == 15300
    up = {each.name: each for each in scheme_changes(SOA_FIELDS, NOW)}
    assert up[DATE].path == (2027011500,) and not up[DATE].lower


def test_words_name_the_set_that_is_meant() -> None:
    assert data(5).text == "www.kilnandclay.example A"
    assert Subject(Role.DELEGATION, DOMAIN, NS, {"a": 1}, "x").text == "kilnandclay.example NS at the parent"
    assert Subject(Role.ABSENCE, DOMAIN, SOA, {"a": 1}, "x").text == "“no such name” in kilnandclay.example"
