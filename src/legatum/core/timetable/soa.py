"""What the numbers of an SOA record mean here, in plain words, and what is odd about them (RFC 1912 s2.2, RFC 2308 s4,
RFC 1982)."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from datetime import UTC, datetime

from legatum.core.calendar.duration import duration_text, rough_text
from legatum.core.records.soa import SoaFields, serial_by_rule, serial_is_newer, serial_path

_HOUR, _DAY = 3600, 86400
_RANGES = {
    "refresh": (1200, 12 * _HOUR),
    "retry": (180, 2 * _HOUR),
    "expire": (14 * _DAY, 28 * _DAY),
    "minimum": (300, 3 * _HOUR),
}
"""Seconds: RFC 1912 s2.2 for the first three, RFC 2308 s5 for the last."""
_SOURCE = {"refresh": "RFC 1912 s2.2", "retry": "RFC 1912 s2.2", "expire": "RFC 1912 s2.2", "minimum": "RFC 2308 s5"}
_FIRST_DATE, _LAST_YEAR, _LAST_OF_DAY = 1990, 2100, 99
_FIRST_SECOND = 10**9  # in 2001: what is less counts
COUNTER, DATE, SECONDS = "counter", "date", "seconds"


def meanings(fields: SoaFields, negative: int) -> Iterator[str]:
    """``negative``: seconds that *no such name* is kept."""
    worst, timers = (
        fields.refresh + fields.retry,
        f"REFRESH {duration_text(fields.refresh)} and RETRY {duration_text(fields.retry)}",
    )
    yield f"a change of which a secondary is not told (NOTIFY) takes up to {rough_text(worst)} to reach it: {timers}"
    if fields.retry:
        tries = max(0, fields.expire - fields.refresh) // fields.retry
        yield (
            f"a secondary that cannot reach its primary asks again every {rough_text(fields.retry)}, {tries} "
            "times before it gives up"
        )
    yield (
        f"if the primary is down, the secondaries stop answering after {rough_text(fields.expire)}, and the "
        "domain is gone with them"
    )
    yield f"a mistyped name, or one that is not there yet, is remembered as missing for {rough_text(negative)}"


@dataclass(frozen=True, slots=True)
class Oddity:
    """``timer``: which one; ``words``, ``proposed``: seconds that would not be odd."""

    timer: str
    words: str
    proposed: int


def oddities(fields: SoaFields, ttl: int, wanted: Mapping[str, int]) -> Iterator[Oddity]:
    """Each timer against the others, the usual ranges, and what the house wants (``wanted``: timer → seconds). ``ttl``:
    of the record."""
    for timer, (least, most) in _RANGES.items():
        value = getattr(fields, timer)
        house = wanted.get(timer)
        if house is not None:
            if value != house:
                yield Oddity(
                    timer, f"{timer.upper()} is {duration_text(value)}; the house wants {duration_text(house)}", house
                )
        elif not least <= value <= most:
            side, near = ("below", least) if value < least else ("above", most)
            yield Oddity(
                timer,
                f"{timer.upper()} is {duration_text(value)}, {side} the usual {duration_text(near)} ({_SOURCE[timer]})",
                near,
            )
    if fields.retry >= fields.refresh:
        yield Oddity(
            "retry",
            f"RETRY ({duration_text(fields.retry)}) is not shorter than REFRESH: a failed check is repeated "
            "no sooner than any",
            max(60, fields.refresh // 4),
        )
    if fields.expire <= fields.refresh + fields.retry:
        yield Oddity(
            "expire", "EXPIRE is not above REFRESH and RETRY: a secondary gives up before it has tried twice", 14 * _DAY
        )
    if fields.minimum > ttl:
        yield Oddity(
            "minimum",
            f"MINIMUM ({duration_text(fields.minimum)}) has no effect above the record's own TTL, "
            f"{duration_text(ttl)}: the "
            "lesser of both counts",
            ttl,
        )


@dataclass(frozen=True, slots=True)
class Scheme:
    """How serials are made: ``counter``, ``date`` (YYYYMMDDnn) or ``seconds``; ``words``: what shows it, and whether it
    can go on so."""

    name: str
    words: str
    following: int


def scheme_of(serial: int, now: float) -> Scheme:
    """What it looks like; a number that may be several is taken for the date of a day until next year, then for seconds
    that have passed, then for a later date."""
    day = _day_of(serial)
    if day is not None and day.year <= datetime.fromtimestamp(now, UTC).year + 1:
        return _dated(serial, day, now)
    if _FIRST_SECOND < serial <= now + _DAY:
        return Scheme(
            SECONDS,
            f"seconds since 1970, last set {rough_text(now - serial)} ago; it can go on",
            serial_by_rule(SECONDS, serial, now),
        )
    if day is not None and day.year < _LAST_YEAR:
        return _dated(serial, day, now)
    return Scheme(COUNTER, "a counter; it can go on for ever", serial_by_rule(COUNTER, serial, now))


def _day_of(serial: int) -> datetime | None:
    text = str(serial)
    try:
        found = datetime.strptime(text[:8], "%Y%m%d").replace(tzinfo=UTC) if len(text) == 10 else None
    except ValueError:
        return None
    return found if found is not None and found.year >= _FIRST_DATE else None


def _dated(serial: int, day: datetime, now: float) -> Scheme:
    count, following = serial % 100, serial_by_rule(DATE, serial, now)
    words = f"a date, {day:%Y-%m-%d}, change {count} of that day"
    if day.timestamp() > now + _DAY:
        words += "; that day is still to come: every change adds one until then"
    elif day.date() == datetime.fromtimestamp(now, UTC).date() and count >= _LAST_OF_DAY:
        words += "; that was the last number of the day: the next change takes one of tomorrow's"
    else:
        words += "; it can go on"
    return Scheme(DATE, words, following)


@dataclass(frozen=True, slots=True)
class SchemeChange:
    """To another scheme. ``path``: serials, each on every server before the next (rule 11); ``hold``: seconds that each
    takes where no NOTIFY arrives; ``lower``: the number goes down."""

    name: str
    path: tuple[int, ...]
    hold: int
    lower: bool


def scheme_changes(fields: SoaFields, now: float) -> Iterator[SchemeChange]:
    """To each of the others."""
    present = scheme_of(fields.serial, now).name
    today = datetime.fromtimestamp(now, UTC)
    firsts = {COUNTER: 1, DATE: int(f"{today:%Y%m%d}00"), SECONDS: int(now)}
    for name, first in firsts.items():
        if name != present:
            yield SchemeChange(
                name,
                serial_path(fields.serial, first),
                fields.refresh + fields.retry,
                not serial_is_newer(first, fields.serial),
            )
