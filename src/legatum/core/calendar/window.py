"""When a house makes changes that visitors can feel: windows that come every week or day, and quiet times in which it
makes none.

``Sat 22:00-04:00``, ``Mon-Thu 01:00-05:00``, ``daily 02:00-04:00``; quiet: such, or dates, ``2031-12-20..2032-01-06``.
Local times of the house's zone: where the clock shows a time twice, a window begins at the first and ends at the last;
a time that is left out is the moment at which the clock goes forward. Windows that touch or overlap are one.
"""

import re
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from functools import lru_cache
from zoneinfo import ZoneInfo

from legatum.core.calendar.moment import day_number
from legatum.core.calendar.zone import first_instant, last_instant, later_instant
from legatum.core.running.fault import BadInput

_WEEKLY = re.compile(r"(?P<days>[A-Za-z]+(?:\s*-\s*[A-Za-z]+)?)\s+(?P<from>\d{1,2}:\d\d)\s*-\s*(?P<to>\d{1,2}:\d\d)")
_DATES = re.compile(r"(?P<from>\d{4}-\d\d-\d\d)(?:\s*\.\.\s*(?P<to>\d{4}-\d\d-\d\d))?")
_UTC = ZoneInfo("UTC")
_LONGEST = 31 * 86400.0  # seconds that windows are joined to
_AHEAD = 400  # days that are looked through for the next one


@dataclass(frozen=True, slots=True)
class Window:
    """``days``: of the week on which it begins, 0 for Monday; it ends at ``to``, on the next day where that is not
    later. Or whole days from ``first`` to ``last``."""

    text: str
    days: frozenset[int] = frozenset()
    begins: time = time(0)
    ends: time = time(0)
    first: date | None = None
    last: date | None = None

    def on(self, day: date, zone: ZoneInfo) -> tuple[float, float] | None:
        """From when to when it is, where it begins on that day."""
        if self.first is not None and self.last is not None:
            if day != self.first:
                return None
            return later_instant(datetime.combine(day, time(0)), zone), later_instant(
                datetime.combine(self.last, time(0)), zone
            ) + _day(self.last, zone)
        if day.weekday() not in self.days:
            return None
        over = self.ends <= self.begins
        begins = first_instant(datetime.combine(day, self.begins), zone)
        ends = last_instant(datetime.combine(day + timedelta(days=over), self.ends), zone)
        return (begins, ends) if begins < ends else None


def _day(day: date, zone: ZoneInfo) -> float:
    """Its length in seconds: 23 or 25 hours when clocks change."""
    return later_instant(datetime.combine(day + timedelta(days=1), time(0)), zone) - later_instant(
        datetime.combine(day, time(0)), zone
    )


def parse_window(text: str) -> Window:
    """Raises :class:`BadInput`."""
    found = _WEEKLY.fullmatch(text.strip())
    if found is None:
        raise BadInput(
            f"'{text}' is no window",
            "write days and times: 'Sat 22:00-04:00', 'Mon-Thu 01:00-05:00', 'daily 02:00-04:00'",
        )
    front, _, last = found["days"].partition("-")
    if front.lower() in ("daily", "day"):
        days = frozenset(range(7))
    else:
        begins = day_number(front.strip())
        ends = day_number(last.strip()) if last else begins
        days = frozenset((begins + each) % 7 for each in range((ends - begins) % 7 + 1))
    return Window(text.strip(), days, _clock(found["from"], text), _clock(found["to"], text))


def parse_quiet(text: str) -> Window:
    """A window, or dates. Raises :class:`BadInput`."""
    found = _DATES.fullmatch(text.strip())
    if found is None:
        try:
            return parse_window(text)
        except BadInput as fault:
            raise BadInput(
                f"'{text}' is no quiet time", f"{fault.remedy}, or dates: '2031-12-20..2032-01-06'"
            ) from None
    try:
        first = date.fromisoformat(found["from"])
        last = date.fromisoformat(found["to"] or found["from"])
    except ValueError:
        raise BadInput(f"'{text}': there is no such day", "write dates as 2031-12-20") from None
    if last < first:
        raise BadInput(f"'{text}' ends before it begins", "the first day first")
    return Window(text.strip(), first=first, last=last)


def _clock(text: str, whole: str) -> time:
    hour, _, minute = text.partition(":")
    if (int(hour), int(minute)) == (24, 0):
        return time(0)
    try:
        return time(int(hour), int(minute))
    except ValueError:
        raise BadInput(f"'{whole}': {text} is no time of day", "hours to 24:00, minutes to 59") from None


@dataclass(frozen=True, slots=True)
class Windows:
    """``open``: none for any time; ``quiet``: nothing is done then, window or not."""

    open: tuple[Window, ...] = ()
    quiet: tuple[Window, ...] = ()
    zone: ZoneInfo = _UTC

    def __bool__(self) -> bool:
        return bool(self.open or self.quiet)

    def spans(self, since: float) -> Iterator[tuple[float, float, str]]:
        """The times that are left, in order, from ``since`` on, with the window's words; empty ones left out."""
        for begins, ends, text in _joined(self._open_from(since)):
            for left, right in _without((max(begins, since), ends), self._quiet_between(max(begins, since), ends)):
                yield left, right, text

    def _open_from(self, since: float) -> Iterator[tuple[float, float, str]]:
        first = datetime.fromtimestamp(since, self.zone).date() - timedelta(days=1)
        for day in (first + timedelta(days=each) for each in range(_AHEAD)):
            if not self.open:
                begins = later_instant(datetime.combine(day, time(0)), self.zone)
                yield begins, begins + _day(day, self.zone), "outside the quiet times"
            yield from sorted((*span, each.text) for each in self.open if (span := each.on(day, self.zone)) is not None)

    def _quiet_between(self, begins: float, ends: float) -> list[tuple[float, float]]:
        spans = []
        for each in self.quiet:
            if each.first is not None:
                spans.append(each.on(each.first, self.zone))
                continue
            day, last = (datetime.fromtimestamp(at, self.zone).date() for at in (begins, ends))
            day -= timedelta(days=1)
            while day <= last:
                spans.append(each.on(day, self.zone))
                day += timedelta(days=1)
        return _merged(sorted(each for each in spans if each is not None))

    def next(self, since: float, lasting: float = 0.0) -> tuple[float, str] | None:
        """From when on something that takes that long fits, and in which window; None where none does within a year."""
        return next(((begins, text) for begins, ends, text in self.spans(since) if ends - begins > lasting), None)

    @property
    def text(self) -> str:
        said = [f"windows {', '.join(each.text for each in self.open)}"] if self.open else []
        said += [f"quiet {', '.join(each.text for each in self.quiet)}"] if self.quiet else []
        return f"{'; '.join(said)} ({self.zone.key})" if said else "any time"


def _joined(spans: Iterable[tuple[float, float, str]]) -> Iterator[tuple[float, float, str]]:
    """Those that touch or overlap as one, with the words of all of them; as long as a month at the most."""
    current: tuple[float, float, str] | None = None
    for begins, ends, text in spans:
        if current is not None and current[0] <= begins <= current[1] and begins - current[0] < _LONGEST:
            words = current[2] if text in current[2] else f"{current[2]} and {text}"
            current = (current[0], max(current[1], ends), words)
            continue
        if current is not None:
            yield current
        current = (begins, ends, text)
    if current is not None:
        yield current


def _merged(spans: Sequence[tuple[float, float]]) -> list[tuple[float, float]]:
    merged: list[tuple[float, float]] = []
    for begins, ends in spans:
        if merged and begins <= merged[-1][1]:
            merged[-1] = (merged[-1][0], max(ends, merged[-1][1]))
        else:
            merged.append((begins, ends))
    return merged


def _without(span: tuple[float, float], taken: Sequence[tuple[float, float]]) -> Iterator[tuple[float, float]]:
    begins, ends = span
    for left, right in taken:
        if right <= begins or left >= ends:
            continue
        if begins < left:
            yield begins, left
        begins = max(begins, right)
    if begins < ends:
        yield begins, ends


@lru_cache(maxsize=256)
def parse_windows(windows: tuple[str, ...], quiet: tuple[str, ...], zone: ZoneInfo) -> Windows:
    """Raises :class:`BadInput`."""
    return Windows(tuple(map(parse_window, windows)), tuple(map(parse_quiet, quiet)), zone)
