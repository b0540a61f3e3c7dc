"""What a finding is, and how one is written.

A kind of finding is a generator function decorated with :func:`finding`. It yields a :class:`Sighting` for each place where it
holds, and nothing for a healthy picture.
"""

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass
from enum import StrEnum
from typing import Any

from legatum.core.picture import Picture


class Severity(StrEnum):
    """By what visitors suffer: some or all of them fail now; they will when something else fails; worth knowing."""

    ERROR = "error"
    WARNING = "warning"
    NOTICE = "notice"


_ORDER = list(Severity)


@dataclass(frozen=True, slots=True)
class Sighting:
    """What was seen, in one sentence, and the numbers of the replies that show it."""

    seen: str
    replies: tuple[int, ...] = ()


Check = Callable[[Picture], Iterator[Sighting]]


@dataclass(frozen=True, slots=True)
class Kind:
    """A kind of finding, for everybody: ``title`` in a few words, ``why`` it matters, what to do (``remedy``), and the ``standard``."""

    slug: str
    severity: Severity
    title: str
    why: str
    remedy: str
    standard: str
    check: Check


@dataclass(frozen=True, slots=True)
class Finding:
    """A kind of finding as it was seen in one picture."""

    kind: Kind
    sightings: tuple[Sighting, ...]


def finding(slug: str, severity: Severity, title: str, *, why: str, remedy: str, standard: str) -> Callable[[Check], Kind]:
    """Makes a check a kind of finding."""
    return lambda check: Kind(slug, severity, title, why, remedy, standard, check)


def collect(module: Mapping[str, Any]) -> list[Kind]:
    """The kinds that a family's module defines, in the order in which they stand there."""
    return [each for each in module.values() if isinstance(each, Kind)]


def judge_with(kinds: Iterable[Kind], picture: Picture) -> tuple[Finding, ...]:
    found = [Finding(kind, sightings) for kind in kinds if (sightings := tuple(kind.check(picture)))]
    return tuple(sorted(found, key=lambda each: _ORDER.index(each.kind.severity)))
