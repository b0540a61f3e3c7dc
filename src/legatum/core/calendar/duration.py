"""Durations as people write them: ``300``, ``5m``, ``1h30m``, ``1d``."""

import re

from legatum.core.running.fault import BadInput

_UNITS = {"w": 604800, "d": 86400, "h": 3600, "m": 60, "s": 1}
_WHOLE = re.compile(r"(?:[0-9]{1,18}[wdhms])+|[0-9]{1,18}")
_PART = re.compile(r"([0-9]+)([wdhms])")
_LONGEST = 2**32 - 1


def parse_duration(text: str) -> int:
    """Seconds, at most what the 32 bits of a TTL or a timer hold. Raises :class:`BadInput`."""
    lowered = text.strip().lower()
    if not _WHOLE.fullmatch(lowered):
        raise BadInput(f"'{text}' is no duration", "write seconds (300) or units: 5m, 1h30m, 1d")
    seconds = sum(
        int(count) * _UNITS[unit]
        for count, unit in _PART.findall(lowered if not lowered.isdecimal() else lowered + "s")
    )
    if seconds > _LONGEST:
        raise BadInput(f"'{text}' is too long", f"{_LONGEST} seconds are as many as TTLs and timers have room for")
    return seconds


def duration_text(seconds: float) -> str:
    """The shortest exact spelling: 5400 is ``1h30m``. Fractions are rounded up, so that no wait is shown too short."""
    left = int(-(-seconds // 1))
    if left <= 0:
        return "0s"
    parts = []
    for unit, size in list(_UNITS.items())[1:]:
        count, left = divmod(left, size)
        if count:
            parts.append(f"{count}{unit}")
    return "".join(parts)


def rough_text(seconds: float) -> str:
    """For people: the two largest units, ``2 h 5 min``."""
    left = int(abs(seconds) + 0.5)
    words = []
    for size, word in ((86400, "d"), (3600, "h"), (60, "min"), (1, "s")):
        count, left = divmod(left, size)
        if count:
            words.append(f"{count} {word}")
    return " ".join(words[:2]) or "0 s"
