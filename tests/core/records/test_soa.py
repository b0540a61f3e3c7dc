"""Serial arithmetic as RFC 1982 has it, and the fields of an SOA."""

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from legatum.core.calendar.duration import duration_text, parse_duration, rough_text
from legatum.core.calendar.instant import beside, instant_text, parse_instant
from legatum.core.records.rrset import RRset
from legatum.core.records.soa import (
    SoaFields,
    negative_ttl,
    next_serial,
    parse_soa,
    serial_at_least,
    serial_by_rule,
    serial_is_newer,
    serial_path,
)
from legatum.core.running.fault import BadInput
from tests.strategies import soas

serials = st.integers(0, 2**32 - 1)


@pytest.mark.parametrize(
    ("candidate", "current", "newer"),
    [
        (1, 0, True),
        (0, 1, False),
        (0, 2**32 - 1, True),
        (2**31 - 1, 0, True),
        (2**31, 0, False),
        (2**31 + 1, 0, False),
        (100, 2**32 - 50, True),
    ],
)
def test_rfc_1982_section_5(candidate: int, current: int, newer: bool) -> None:
    assert serial_is_newer(candidate, current) is newer


@given(serials, serials)
def test_a_serial_is_never_newer_both_ways(one: int, other: int) -> None:
    assert not (serial_is_newer(one, other) and serial_is_newer(other, one))


@given(serials, serials)
@example(2**31 + 1, 0)
def test_the_next_serial_is_taken_by_every_secondary(current: int, source: int) -> None:
    for serial in (next_serial(current), serial_at_least(current, source)):
        assert serial_is_newer(serial, current) and serial != 0
    if serial_is_newer(source, current) and source != 0:
        assert serial_at_least(current, source) == source


@given(soas)
def test_fields_and_back(soa: SoaFields) -> None:
    assert parse_soa(soa.rdata()) == soa
    with pytest.raises(ValueError, match="cut off"):
        parse_soa(soa.rdata()[:-1])
    assert negative_ttl(RRset(b"\0", 6, 900, (soa.rdata(),))) == min(900, soa.minimum)  # type: ignore[arg-type]


@given(st.integers(0, 10**7))
def test_durations_and_back(seconds: int) -> None:
    assert parse_duration(duration_text(seconds)) == seconds == parse_duration(str(seconds))


@pytest.mark.parametrize("text", ["", "1h30", "m5", "-3", "1.5h", "1y"])
def test_what_is_no_duration(text: str) -> None:
    with pytest.raises(BadInput):
        parse_duration(text)


def test_instants_for_people_and_programs() -> None:
    assert instant_text(parse_instant("2031-03-04T14:05:12Z")) == "2031-03-04T14:05:12Z"
    assert parse_instant("2031-03-04T15:05:12+01:00") == parse_instant("2031-03-04T14:05:12Z")
    assert (beside(2100, 0), beside(0, 7200), beside(5, 5)) == ("in 35 min", "2 h ago", "now")
    assert rough_text(90061) == "1 d 1 h"


@given(st.integers(0, 2**32 - 1), st.integers(1, 2**32 - 1))
def test_every_serial_is_reached_by_steps_that_secondaries_take(current: int, target: int) -> None:
    """RFC 1982 s3.2: each step is newer than the one before it; never more than two between, and never 0."""
    path = serial_path(current, target)
    assert (path[-1:] or (current,)) == (target,) and 0 not in path and len(path) <= 3
    assert all(serial_is_newer(new, old) for old, new in zip((current, *path), path, strict=False))


@pytest.mark.parametrize(
    ("rule", "current", "wanted"),
    [
        ("counter", 7, 8),
        ("date", 7, 2031030400),
        ("date", 2031030400, 2031030401),
        ("date", 2031030500, 2031030501),  # ahead of the rule already
        ("seconds", 7, 1930403112),
    ],
)
def test_the_house_rule(rule: str, current: int, wanted: int) -> None:
    assert serial_by_rule(rule, current, 1930403112.5) == wanted
