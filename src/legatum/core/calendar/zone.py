"""Zones of time by their names (``Europe/Berlin``), and local times that do not exist, or come twice, when clocks
change."""

from datetime import UTC, datetime
from functools import lru_cache
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from legatum.core.running.fault import BadInput


@lru_cache(maxsize=64)
def parse_zone(text: str) -> ZoneInfo:
    """Raises :class:`BadInput` for a name that the time zone database does not have."""
    try:
        return ZoneInfo(text)
    except (ZoneInfoNotFoundError, ValueError, OSError):
        raise BadInput(
            f"'{text}' is no known time zone", "write its name in the time zone database, such as Europe/Berlin or UTC"
        ) from None


def instant_of(local: datetime, zone: ZoneInfo) -> float:
    """Of a local time without a zone. Raises :class:`BadInput` for one that does not exist on that day, or comes
    twice."""
    first, second = (local.replace(tzinfo=zone, fold=fold) for fold in (0, 1))
    text = local.strftime("%Y-%m-%d %H:%M:%S")
    if first.utcoffset() == second.utcoffset():
        return first.timestamp()
    if first.astimezone(UTC).astimezone(zone).replace(tzinfo=None) != local:
        raise BadInput(
            f"{text} does not exist in {zone.key}: the clock goes forward over it", "give a time before or after that"
        )
    offsets = " or ".join(_offset(each) for each in (first, second))
    raise BadInput(
        f"{text} comes twice in {zone.key}: the clock goes back over it", f"say which, with its offset: {offsets}"
    )


def _offset(moment: datetime) -> str:
    return f"{moment.strftime('%H:%M:%S')}{moment.strftime('%z')[:3]}:{moment.strftime('%z')[3:]}"


def later_instant(local: datetime, zone: ZoneInfo) -> float:
    """The same where every local time must mean something: one that does not exist is as much later as the clock jumps,
    one that comes twice is the first."""
    return local.replace(tzinfo=zone, fold=0).timestamp()


def first_instant(local: datetime, zone: ZoneInfo) -> float:
    """The first at which the clock shows that time or, where it is left out, the moment at which the clock goes forward
    over it."""
    return _forward(local, zone) or local.replace(tzinfo=zone, fold=0).timestamp()


def last_instant(local: datetime, zone: ZoneInfo) -> float:
    """The last at which the clock shows that time or, where it is left out, the moment at which the clock goes forward
    over it."""
    return _forward(local, zone) or local.replace(tzinfo=zone, fold=1).timestamp()


def _forward(local: datetime, zone: ZoneInfo) -> float | None:
    """When the clock goes forward over a local time; None for one that exists."""
    before, after = (local.replace(tzinfo=zone, fold=fold) for fold in (0, 1))
    if before.astimezone(UTC).astimezone(zone).replace(tzinfo=None) == local:
        return None
    early, late = int(after.timestamp()), int(before.timestamp())
    while late - early > 1:
        middle = (early + late) // 2
        is_over = datetime.fromtimestamp(middle, zone).utcoffset() == after.utcoffset()
        early, late = (early, middle) if is_over else (middle, late)
    return float(late)
