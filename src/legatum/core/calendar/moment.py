"""Instants as people say them: ``2031-03-04T22:00Z``, ``Saturday 22:00``, ``tomorrow 6:30``, ``22:00``, ``in 3d``."""

import re
from datetime import datetime, time, timedelta
from zoneinfo import ZoneInfo

from legatum.core.calendar.duration import parse_duration
from legatum.core.calendar.zone import instant_of, parse_zone
from legatum.core.running.fault import BadInput

DAYS = ("monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday")
_CLOCK = re.compile(r"(?:(?P<day>[a-z]+)\s+)?(?P<hour>\d{1,2}):(?P<minute>\d\d)(?::(?P<second>\d\d))?")
_FORMS = (
    "an instant such as 2031-03-04T22:00:00+01:00, '2031-03-04 22:00', 'Saturday 22:00', 'tomorrow 6:30', "
    "22:00, or 'in 3d'"
)


def parse_moment(text: str, now: float, zone: ZoneInfo) -> float:
    """Seconds since 1970. ``zone``: in which it is meant where it names none, by an offset, by ``Z``, or by a name at
    its end. A day of the week, or a time of day alone, is the next one after ``now``. Raises :class:`BadInput`."""
    said = " ".join(text.split())
    if said.lower().startswith("in "):
        return now + parse_duration(said[3:])
    front, _, last = said.rpartition(" ")
    if front and (last.upper() == "UTC" or "/" in last):
        said, zone = front, parse_zone(last)
    found = _CLOCK.fullmatch(said.lower())
    if found is not None:
        return _coming(found["day"] or "", _time(found, text), now, zone)
    try:
        parsed = datetime.fromisoformat(said)
    except ValueError:
        raise BadInput(f"'{text}' is no instant", f"write {_FORMS}") from None
    return parsed.timestamp() if parsed.tzinfo is not None else instant_of(parsed, zone)


def _time(found: "re.Match[str]", text: str) -> time:
    try:
        return time(int(found["hour"]), int(found["minute"]), int(found["second"] or 0))
    except ValueError:
        raise BadInput(f"'{text}' is no time of day", "hours to 23, minutes and seconds to 59") from None


def _coming(day: str, clock: time, now: float, zone: ZoneInfo) -> float:
    today = datetime.fromtimestamp(now, zone).date()
    if day in ("today", "tomorrow"):
        return instant_of(datetime.combine(today + timedelta(days=day == "tomorrow"), clock), zone)
    if not day:
        at = instant_of(datetime.combine(today, clock), zone)
        return at if at > now else instant_of(datetime.combine(today + timedelta(days=1), clock), zone)
    ahead = (day_number(day) - today.weekday()) % 7
    at = instant_of(datetime.combine(today + timedelta(days=ahead), clock), zone)
    return at if at > now else instant_of(datetime.combine(today + timedelta(days=ahead + 7), clock), zone)


def day_number(text: str) -> int:
    """0 for Monday; three letters are enough. Raises :class:`BadInput`."""
    found = [number for number, day in enumerate(DAYS) if len(text) >= 3 and day.startswith(text.lower())]
    if len(found) != 1:
        raise BadInput(f"'{text}' is no day of the week", "a name such as Saturday, or its first three letters")
    return found[0]
