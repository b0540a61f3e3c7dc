"""Instants: seconds since 1970 in UTC, shown in RFC 3339 and, for people, beside now."""

import re
from contextvars import ContextVar
from datetime import UTC, datetime, tzinfo

from legatum.core.calendar.duration import parse_duration, rough_text
from legatum.core.running.fault import BadInput

_LATEST = 1 << 32


def instant_text(instant: float) -> str:
    """RFC 3339 in UTC to the second: ``2031-03-04T14:05:12Z``."""
    return datetime.fromtimestamp(instant, UTC).strftime("%Y-%m-%dT%H:%M:%SZ")


def parse_instant(text: str) -> float:
    """Seconds since 1970 for RFC 3339 text, or as people are shown it. Raises :class:`BadInput`."""
    try:
        parsed = datetime.fromisoformat(text.removesuffix(" UTC"))
    except ValueError:
        raise BadInput(f"'{text}' is no instant", "write RFC 3339, such as 2031-03-04T14:05:12Z") from None
    return (parsed if parsed.tzinfo else parsed.replace(tzinfo=UTC)).timestamp()


def kept_instant(said: object) -> float:
    """Seconds since 1970 as a file says them. Raises ``ValueError`` for what no clock showed, and no capture file could
    hold."""
    if not isinstance(said, int | float) or not 0 <= said < _LATEST:
        raise ValueError(f"{str(said)[:40]!r} is no instant")
    return float(said)


def parse_instant_or_age(text: str, now: float) -> float:
    """An instant in RFC 3339, or how long before ``now`` it was. Raises :class:`BadInput`."""
    return _meant(text, now, -1, "or how long ago, such as 30d")


def _meant(text: str, now: float, direction: int, otherwise: str) -> float:
    bare = text.strip().removeprefix("in ") if direction > 0 else text.strip().removesuffix(" ago")
    try:
        return now + direction * parse_duration(bare)
    except BadInput:
        pass
    try:
        return kept_instant(parse_instant(text))
    except BadInput as fault:
        raise BadInput(fault.message, f"{fault.remedy}, {otherwise}") from None
    except ValueError:
        raise BadInput(f"'{text}' is out of range", "give an instant from 1970 to 2105") from None


def parse_instant_or_wait(text: str, now: float) -> float:
    """An instant in RFC 3339, or a duration from ``now`` on. Raises :class:`BadInput`."""
    return _meant(text, now, 1, "or from now on, such as 2h")


def people_text(instant: float, now: float) -> str:
    """The instant and how far off it is: ``2031-03-04 14:05:12 UTC (in 35 min)``."""
    stamp = datetime.fromtimestamp(instant, UTC).strftime("%Y-%m-%d %H:%M:%S UTC")
    return f"{stamp} ({beside(instant, now)})"


def clock_text(instant: float, now: float) -> str:
    """The time of day, with the date when it is another day than ``now``."""
    then, today = datetime.fromtimestamp(instant, UTC), datetime.fromtimestamp(now, UTC)
    text = then.strftime("%H:%M:%S" if then.date() == today.date() else "%Y-%m-%d %H:%M:%S")
    return text if _local.get() is None else f"{text} UTC = {_local_text(then)}"


_local: ContextVar[tzinfo | None] = ContextVar("local", default=None)
_STAMP = re.compile(r"\b(\d{4}-\d\d-\d\d)[T ](\d\d:\d\d:\d\d)(?:Z| UTC)(?! =)")
_VERBATIM = re.compile(r"(\"[^\"\n]*\"|&#34;.*?&#34;|`[^`\n]*`)")  # texts of records, attributes of pages, commands


def show_local(zone: tzinfo | None) -> None:
    """From now on people are shown times of this zone too, in this task and those that it starts; None: UTC alone."""
    _local.set(zone)


def for_people(text: str) -> str:
    """The text with all instants in it alike, ``2031-03-04 14:05:12 UTC``, and with the local time behind each where
    that is wanted; what stands between quotation marks or is a command stays."""
    if not _STAMP.search(text):
        return text
    parts = _VERBATIM.split(text)
    parts[::2] = (_STAMP.sub(_readable, part) for part in parts[::2])
    return "".join(parts)


def _readable(found: re.Match[str]) -> str:
    stamp = f"{found[1]} {found[2]} UTC"
    return (
        stamp
        if _local.get() is None
        else f"{stamp} = {_local_text(datetime.fromisoformat(f'{found[1]}T{found[2]}+00:00'))}"
    )


def _local_text(moment: datetime) -> str:
    """The time of day in the zone to be shown, with its date where that is another one."""
    there = moment.astimezone(_local.get())
    name = there.tzname() or ""
    offset = name if name.isalpha() else there.strftime("%z")
    return there.strftime("%H:%M:%S" if there.date() == moment.date() else "%Y-%m-%d %H:%M:%S") + f" {offset}"


def beside(instant: float, now: float) -> str:
    """``in 35 min``, ``2 h ago`` or ``now``."""
    away = instant - now
    if abs(away) < 0.5:
        return "now"
    return f"in {rough_text(away)}" if away > 0 else f"{rough_text(away)} ago"
