"""What a finding is, and how one is written.

A kind of finding is a generator function decorated with :func:`finding`. It yields a :class:`Occurrence` for each place
where it holds, and nothing for a healthy observation. Where one fault explains another, the second names the first in
``after``: it is then not told by itself, but counted under its cause.
"""

from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass
from enum import StrEnum
from typing import Any, NamedTuple

from legatum.core.running.progress import tally


class Severity(StrEnum):
    """By what visitors suffer: some or all of them fail now; they will when something else fails; worth knowing."""

    ERROR = "error"
    WARNING = "warning"
    NOTICE = "notice"


_ORDER = list(Severity)


class Occurrence(NamedTuple):
    """What was seen, in one sentence, and the numbers of the replies that show it.

    ``about``: the server address or the name that it concerns, empty for the domain as a whole.
    """

    seen: str
    replies: tuple[int, ...] = ()
    about: str = ""


Check = Callable[[Any], Iterator[Occurrence]]
"""From what is judged - a survey's :class:`~legatum.core.observation.observation.Observation`, or a zone's
contents - to where the finding holds."""


@dataclass(frozen=True, slots=True)
class FindingKind:
    """A kind of finding, for everybody: ``title`` in a few words, ``why`` it matters, what to do (``remedy``), and the
    ``standard``.

    ``after``: the kinds that can be its cause.
    """

    slug: str
    severity: Severity
    title: str
    why: str
    remedy: str
    standard: str
    check: Check
    after: tuple[str, ...] = ()

    @property
    def said(self) -> str:
        """The title within a sentence."""
        first = self.title.partition(" ")[0]
        return self.title if first[1:] != first[1:].lower() else self.title[:1].lower() + self.title[1:]


@dataclass(frozen=True, slots=True)
class Finding:
    """A kind of finding as it was seen in one observation. ``explains``: kinds that this one is the cause of, each with
    a count."""

    kind: FindingKind
    sightings: tuple[Occurrence, ...]
    explains: tuple[tuple[str, int], ...] = ()


def finding(
    slug: str, severity: Severity, title: str, *, why: str, remedy: str, standard: str, after: tuple[str, ...] = ()
) -> Callable[[Check], FindingKind]:
    """Makes a check a kind of finding."""
    return lambda check: FindingKind(slug, severity, title, why, remedy, standard, check, after)


def collect(module: Mapping[str, Any]) -> list[FindingKind]:
    """The kinds that a family's module defines, in the order in which they stand there."""
    return [each for each in module.values() if isinstance(each, FindingKind)]


def judge_with(kinds: Iterable[FindingKind], observation: object) -> tuple[Finding, ...]:
    """Every finding, worst first, each symptom counted under its cause."""
    counted = tally()
    seen = {}
    for kind in kinds:
        if sightings := tuple(kind.check(observation)):
            seen[kind.slug] = (kind, sightings)
        counted.done += 1
    explained: dict[str, Counter[str]] = {}
    told = []
    for slug, (kind, sightings) in seen.items():
        if seen.keys().isdisjoint(kind.after):
            told.append((kind, sightings))
            continue
        own = []
        for sighting in sightings:
            cause = _cause(kind, sighting, seen)
            if cause is None:
                own.append(sighting)
            else:
                explained.setdefault(cause, Counter())[slug] += 1
        if own:
            told.append((kind, tuple(own)))
    told.sort(key=lambda each: _ORDER.index(each[0].severity))
    return tuple(Finding(kind, own, tuple(sorted(explained.get(kind.slug, Counter()).items()))) for kind, own in told)


def by_severity(findings: Iterable[Finding]) -> tuple[Finding, ...]:
    """Worst first, else as they come."""
    return tuple(sorted(findings, key=lambda each: _ORDER.index(each.kind.severity)))


def _cause(
    kind: FindingKind, sighting: Occurrence, seen: Mapping[str, tuple[FindingKind, tuple[Occurrence, ...]]]
) -> str | None:
    """The first cause of a sighting that was seen too, followed to where it has no cause itself."""
    for slug in kind.after:
        if slug in seen and slug != kind.slug:
            cause, others = seen[slug]
            for other in others:
                if not sighting.about or not other.about or sighting.about == other.about:
                    return _cause(cause, other, seen) or slug
    return None
