"""Times as people say them, zones whose clocks change, windows and quiet times."""

from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from legatum.core.calendar.instant import (
    clock_text,
    for_people,
    parse_instant,
    parse_instant_or_age,
    parse_instant_or_wait,
    people_text,
    show_local,
)
from legatum.core.calendar.moment import parse_moment
from legatum.core.calendar.window import parse_windows
from legatum.core.calendar.zone import parse_zone
from legatum.core.running.fault import BadInput

BERLIN, UTC_ZONE = ZoneInfo("Europe/Berlin"), ZoneInfo("UTC")


def at(text: str) -> float:
    return datetime.fromisoformat(text).timestamp()


NOW = at("2027-03-26T12:00:00+00:00")  # a Friday; clocks in Berlin go forward on Sunday at 2 o'clock


@pytest.mark.parametrize(
    ("text", "zone", "means"),
    [
        ("2031-03-04T22:00:00Z", BERLIN, "2031-03-04T22:00:00+00:00"),
        ("2031-03-04T22:00:00+05:30", BERLIN, "2031-03-04T16:30:00+00:00"),
        ("2031-03-04 22:00", BERLIN, "2031-03-04T21:00:00+00:00"),
        ("2031-07-04 22:00", BERLIN, "2031-07-04T20:00:00+00:00"),  # in summer
        ("2031-07-04 22:00 UTC", BERLIN, "2031-07-04T22:00:00+00:00"),
        ("2031-07-04 22:00 America/New_York", BERLIN, "2031-07-05T02:00:00+00:00"),
        ("Saturday 22:00", BERLIN, "2027-03-27T21:00:00+00:00"),
        ("sun 22:00", BERLIN, "2027-03-28T20:00:00+00:00"),  # the clock has gone forward since
        ("Friday 11:00", UTC_ZONE, "2027-04-02T11:00:00+00:00"),  # today's has passed
        ("Friday 13:00", UTC_ZONE, "2027-03-26T13:00:00+00:00"),
        ("tomorrow 6:30", BERLIN, "2027-03-27T05:30:00+00:00"),
        ("11:00", UTC_ZONE, "2027-03-27T11:00:00+00:00"),
        ("  in   1d12h ", BERLIN, "2027-03-28T00:00:00+00:00"),
        ("2027-10-31 02:30+02:00", BERLIN, "2027-10-31T00:30:00+00:00"),
    ],
)
def test_an_instant_is_read_as_it_is_said(text: str, zone: ZoneInfo, means: str) -> None:
    assert parse_moment(text, NOW, zone) == at(means)


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("2027-03-28 02:30", "does not exist in Europe/Berlin"),
        ("2027-10-31 02:30", r"comes twice in Europe/Berlin"),
        ("Blursday 22:00", "no day of the week"),
        ("s 22:00", "no day of the week"),
        ("25:00", "no time of day"),
        ("soon", "no instant"),
        ("in a while", "no duration"),
        ("2031-02-30 22:00", "no instant"),
        ("2031-03-04 22:00 Europe/Nowhere", "no known time zone"),
    ],
)
def test_what_means_no_instant_is_refused(text: str, says: str) -> None:
    with pytest.raises(BadInput, match=says):
        parse_moment(text, NOW, BERLIN)


def test_a_time_that_comes_twice_says_how_to_write_it() -> None:
    with pytest.raises(BadInput) as caught:
        parse_moment("2027-10-31 02:30", NOW, BERLIN)
    assert "02:30:00+02:00 or 02:30:00+01:00" in caught.value.remedy


def test_a_window_goes_with_the_clock_on_the_wall() -> None:
    nightly = parse_windows(("daily 02:00-04:00",), (), BERLIN)
    assert [each[:2] for each, _ in zip(nightly.spans(NOW), range(3), strict=False)] == [
        (at("2027-03-27T01:00+00:00"), at("2027-03-27T03:00+00:00")),
        (at("2027-03-28T01:00+00:00"), at("2027-03-28T02:00+00:00")),  # 2 o'clock does not exist: from 3 to 4
        (at("2027-03-29T00:00+00:00"), at("2027-03-29T02:00+00:00")),
    ]
    autumn = next(parse_windows(("Sun 02:00-04:00",), (), BERLIN).spans(at("2027-10-30T12:00+00:00")))
    assert autumn[:2] == (at("2027-10-31T00:00+00:00"), at("2027-10-31T03:00+00:00"))  # an hour longer


def test_quiet_times_go_before_windows() -> None:
    times = parse_windows(
        ("Sat 22:00-04:00", "Mon-Thu 01:00-03:00"), ("2027-03-27..2027-03-28", "daily 02:30-12:00"), UTC_ZONE
    )
    begins, text = times.next(NOW) or (0.0, "")
    assert (begins, text) == (at("2027-03-29T01:00+00:00"), "Mon-Thu 01:00-03:00")
    assert times.next(NOW, lasting=2 * 3600) == (
        at("2027-04-03T22:00+00:00"),
        "Sat 22:00-04:00",
    )  # 4 hours and a half until it is quiet
    assert times.next(NOW, lasting=5 * 3600) is None
    assert parse_windows((), ("daily 00:00-24:00",), UTC_ZONE).next(NOW) is None
    assert parse_windows((), ("2027-03-26",), UTC_ZONE).next(NOW) == (
        at("2027-03-27T00:00+00:00"),
        "outside the quiet times",
    )
    assert not parse_windows((), (), BERLIN)


@given(
    st.sampled_from(["Sat 22:00-04:00", "daily 02:00-03:00", "Mon-Fri 23:30-23:45", "Thu-Tue 00:00-00:00"]),
    st.sampled_from([(), ("2027-03-20..2027-04-02",), ("Sun 00:00-24:00",), ("daily 02:15-02:45", "2027-10-31")]),
    st.sampled_from(["Europe/Berlin", "UTC", "America/Sao_Paulo", "Australia/Lord_Howe"]),
    st.integers(0, 400 * 86400),
)
def test_what_is_next_is_in_a_window_and_nothing_before_it_is(
    window: str, quiet: tuple[str, ...], zone: str, ahead: int
) -> None:
    """Against each quarter of an hour held against the clock on the wall."""
    place, since = parse_zone(zone), NOW + ahead // 900 * 900
    found = parse_windows((window,), quiet, place).next(since)
    assert found is not None and found[0] >= since

    def is_in(text: str, instant: float) -> bool:
        if ".." in text or text[:2] == "20":
            first, _, last = text.partition("..")
            return first <= f"{datetime.fromtimestamp(instant, place):%Y-%m-%d}" <= (last or first)
        days, times = text.split()
        begins, ends = times.split("-")
        local = datetime.fromtimestamp(instant, place)
        names = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"]
        front, _, back = days.partition("-")
        first_day = names.index(front) if front in names else 0
        last_day = names.index(back or front) if front in names else 6
        on = [(first_day + each) % 7 for each in range((last_day - first_day) % 7 + 1)]
        clock, over = f"{local:%H:%M}", ends <= begins
        if ends == "24:00":
            ends, over = "24:00", False
        today = local.weekday() in on and clock >= begins and (over or clock < ends)
        yesterday = (local - timedelta(days=1)).weekday() in on and over and clock < ends
        return today or yesterday

    def is_open(instant: float) -> bool:
        return is_in(window, instant) and not any(is_in(each, instant) for each in quiet)

    assert is_open(found[0])
    before = [since + 900 * each for each in range(int((found[0] - since) / 900))]
    assert not any(map(is_open, before[-400:]))


def test_times_are_shown_in_the_house_s_zone_beside_utc() -> None:
    summer = at("2027-03-28T01:30:00+00:00")
    assert for_people("at 2027-03-28T00:30:00Z") == "at 2027-03-28 00:30:00 UTC"
    show_local(BERLIN)
    try:
        assert for_people("at 2027-03-28T00:30:00Z") == "at 2027-03-28 00:30:00 UTC = 01:30:00 CET"
        assert for_people(people_text(summer, summer)) == "2027-03-28 01:30:00 UTC = 03:30:00 CEST (now)"
        assert for_people("2027-03-28 23:30:00 UTC") == "2027-03-28 23:30:00 UTC = 2027-03-29 01:30:00 CEST"
        # what is copied from it stays: the data of a record, an attribute, a command
        verbatim = (
            'TXT "until 2027-03-28T00:30:00Z", `legatum history --since 2027-03-28T00:30:00Z`, '
            "&#34;2027-03-28T00:30:00Z&#34;"
        )
        assert for_people(f"{verbatim} 2027-03-28T00:30:00Z") == f"{verbatim} 2027-03-28 00:30:00 UTC = 01:30:00 CET"
        assert parse_instant("2027-03-28 00:30:00 UTC") == parse_instant("2027-03-28T00:30:00Z")  # as it was shown
        assert for_people(clock_text(summer, summer)) == "01:30:00 UTC = 03:30:00 CEST"
        assert for_people(for_people("2027-03-28T00:30:00Z")) == for_people("2027-03-28T00:30:00Z")
        assert datetime.fromtimestamp(summer, UTC).tzinfo is UTC
    finally:
        show_local(None)


@pytest.mark.parametrize(
    ("since", "begins", "minutes"),
    [
        (
            "2027-03-27T12:00:00+00:00",
            "2027-03-28T01:00:00+00:00",
            45,
        ),  # 02:30 is left out: from when the clock goes forward
        ("2027-03-28T12:00:00+00:00", "2027-03-29T00:30:00+00:00", 75),
        ("2027-10-30T12:00:00+00:00", "2027-10-31T00:30:00+00:00", 135),  # 02:30 comes twice: from the first one
        ("2027-10-31T12:00:00+00:00", "2027-11-01T01:30:00+00:00", 75),
    ],
)
def test_windows_on_the_days_on_which_clocks_change(since: str, begins: str, minutes: int) -> None:
    text = "daily 02:30-03:45"
    first, last, _ = next(parse_windows((text,), (), BERLIN).spans(at(since)))
    assert (first, last - first) == (at(begins), minutes * 60)
    outside = [span for _, span in zip(range(3), parse_windows((), (text,), BERLIN).spans(at(since)), strict=False)]
    assert at(begins) in [each[1] for each in outside] and at(begins) + minutes * 60 in [each[0] for each in outside]


def test_windows_that_touch_or_overlap_are_one() -> None:
    begins, ends, words = next(
        parse_windows(("Sat 22:00-24:00", "Sun 00:00-02:00", "Sun 01:00-05:00"), (), UTC_ZONE).spans(NOW)
    )
    assert (begins, ends - begins) == (at("2027-03-27T22:00:00+00:00"), 7 * 3600)
    assert words == "Sat 22:00-24:00 and Sun 00:00-02:00 and Sun 01:00-05:00"
    assert parse_windows(("Sat 22:00-24:00", "Sun 00:00-02:00"), (), UTC_ZONE).next(NOW, 3.5 * 3600) is not None


def test_instants_may_be_said_from_now() -> None:
    for text in ("2h", "in 2h", " in 2h "):
        assert parse_instant_or_wait(text, 1000.0) == 8200.0
    for text in ("10m", "10m ago"):
        assert parse_instant_or_age(text, 1000.0) == 400.0
    assert parse_instant_or_wait("2031-03-04T14:05:12Z", 0.0) == parse_instant_or_age("2031-03-04T14:05:12Z", 0.0)
    for text in ("in", "2h ago", "soon"):
        with pytest.raises(BadInput):
            parse_instant_or_wait(text, 1000.0)
