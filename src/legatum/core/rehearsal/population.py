"""A population of caches with random timing, moved over a stage: who is answered by whom, and who fails, when.

Where :mod:`legatum.core.rehearsal` asks what *can* happen to any cache, this shows what happens to most.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from legatum.core.moves.effects import Delegated, Records
from legatum.core.moves.place import ADDRESSES, PARENT, RRsetKey
from legatum.core.moves.runbook import Runbook
from legatum.core.moves.timeline import Content, Period
from legatum.core.records.address import address_text
from legatum.core.records.name import Name
from legatum.core.records.rrset import RRset, targets
from legatum.core.records.rrtype import NS
from legatum.core.rehearsal.caches import CacheKind
from legatum.core.rehearsal.playback import Playback

_V = TypeVar("_V")
_FAILED = -1
_NOBODY = -2
_TOGETHER = 50_000
Indices = NDArray[np.int64]


@dataclass(frozen=True)
class Followed:
    """What a population is asked for: names in ``zone``; ``key``: an RRset whose data tell the sides apart, None where
    the places do."""

    zone: Name
    key: RRsetKey | None = None


@dataclass(frozen=True)
class Shares:
    """At each of ``times`` (seconds since 1970), the share of caches whose last question each side answered (side →
    0…1), and of those that failed."""

    kind: CacheKind
    times: NDArray[np.float64]
    answered: dict[str, NDArray[np.float64]]
    failed: NDArray[np.float64]


def followed(runbook: Runbook) -> Followed | None:
    """What the runbook changes for visitors; None where nothing is."""
    effects = [effect for step in runbook.steps for effect in step.effects]
    for effect in effects:
        if isinstance(effect, Records):
            for each in effect.changed:
                exchanged = (
                    each.before is not None and each.after is not None and each.before.rdatas != each.after.rdatas
                )
                if (
                    exchanged
                    and each.key[1] in ADDRESSES
                    and not any(isinstance(other, Delegated) for other in effects)
                ):
                    return Followed(effect.zone, each.key)
    cut = next((effect.cut for effect in effects if isinstance(effect, Records) and effect.cut is not None), None)
    if cut is not None:
        return Followed(cut)
    return Followed(runbook.domain) if any(isinstance(effect, Delegated) for effect in effects) else None


def follow(
    playback: Playback,
    what: Followed,
    kind: CacheKind,
    begins: float,
    ends: float,
    generator: np.random.Generator,
    caches: int = 3000,
    every: float = 600.0,
    points: int = 110,
) -> Shares:
    """``every``: mean seconds between two questions that a cache has to answer. The state is advanced in ``points``
    steps."""
    times = np.linspace(begins, ends, points)
    # Copies held when the picture begins were fetched at any time before: caches come in one by one over the longest
    # TTL.
    longest = _longest(playback, what)
    runup = np.linspace(begins - 2 * longest, begins, max(points // 5, 20), endpoint=False)
    sides = list(_sides(playback, what))
    counts = np.zeros((len(sides) + 1, points))
    for first in range(0, caches, _TOGETHER):  # so many that their columns stay in the processor's own memory
        crowd = _Crowd(playback, what, kind, min(_TOGETHER, caches - first), every, float(runup[0]), generator, longest)
        for now in runup:
            crowd.advance(float(now))
        for number, now in enumerate(times):
            crowd.advance(float(now))
            counts[:, number] += np.bincount(crowd.last + 1, minlength=len(sides) + 1)[: len(sides) + 1]
    shares = counts / caches
    return Shares(kind, times, {side: shares[number + 1] for number, side in enumerate(sides)}, shares[0])


def _longest(playback: Playback, what: Followed) -> float:
    sets = [period.value for _, _, period in playback.delegations(what.zone)]
    keys = [(what.zone, NS), *([what.key] if what.key else [])]
    sets += [
        period.value
        for place, zone in playback.timeline.served
        for key in keys
        for period in playback.said(place, zone, key)
        if period.value is not None
    ]
    return float(max((playback.lasts(each.ttl) for each in sets), default=3600))


class _Crowd:
    """The caches, as columns: which NS set each holds, until when, from whom, when it is asked next, who answered
    last."""

    def __init__(
        self,
        playback: Playback,
        what: Followed,
        kind: CacheKind,
        count: int,
        every: float,
        begins: float,
        generator: np.random.Generator,
        spread: float,
    ) -> None:
        self._stage, self._what, self._kind, self._every, self._random = playback, what, kind, every, generator
        self._sets: list[tuple[Name, ...]] = []
        self.sides = list(_sides(playback, what))
        self._holds = np.full(count, _NOBODY, np.int8)
        self._expires = np.full(count, -np.inf)
        self._from_child = np.zeros(count, bool)
        self._copy = np.full(count, _NOBODY, np.int8)
        self._copied_until = np.full(count, -np.inf)
        self._next = begins + generator.uniform(0, spread, count)
        self.last = np.zeros(count, np.int8)

    def advance(self, now: float) -> None:
        """All questions due until ``now``."""
        asked = np.flatnonzero(self._next <= now)
        if not len(asked):
            return
        self._next[asked] = now + self._random.exponential(self._every, len(asked))
        if self._what.key is not None:
            holding = self._copied_until[asked] > now
            self._use_copy(asked[holding], now)
            asked = asked[~holding]
        expired = asked[self._expires[asked] <= now]
        self._refer(expired, now)
        held = self._holds[asked]
        for number, names in enumerate(self._sets):
            here = asked[held == number]
            if len(here):
                self._ask(here, names, now)

    def _refer(self, caches: Indices, now: float) -> None:
        """The NS set from whoever hands the zone on; where nobody does, the servers above answer themselves, or nobody
        does."""
        given: list[RRset | None] = []
        places: list[str] = []
        for place, upper in _above(self._stage, self._what.zone):
            for each in _now(self._stage.said(place, upper, (self._what.zone, NS)), now):
                given.append(each)
                places.append(place)
        if not given:
            self.last[caches] = _FAILED
            return
        for (ns, place), some in self._shared_out(caches, list(zip(given, places, strict=True))):
            if ns is not None:
                self._take(some, ns, now, from_child=False)
            else:
                self._holds[some] = _NOBODY
                self.last[some] = self._side(place) if place != PARENT else self.last[some]

    def _ask(self, caches: Indices, names: tuple[Name, ...], now: float) -> None:
        ways = [way.place for host in names for way in self._stage.ways_to(host) if way.begins <= now < way.ends]
        if not ways:
            self.last[caches] = _FAILED
            return
        for place, some in self._shared_out(caches, ways):
            if place is None:
                self.last[some] = _FAILED
                continue
            contents = _now(self._stage.content(place, self._what.zone), now)
            for content, asking in self._shared_out(some, contents):
                if content == Content.WHOLE:
                    self._answered(asking, place, now)
                else:
                    self.last[asking] = _FAILED

    def _answered(self, caches: Indices, place: str, now: float) -> None:
        if self._what.key is None:
            self.last[caches] = self._side(place)
        else:
            self._fetch(caches, place, now)
        if self._kind == CacheKind.PARENT_TRUSTING:
            return
        adopts = caches if self._kind == CacheKind.STICKY else caches[~self._from_child[caches]]
        given = [
            each
            for each in _now(self._stage.said(place, self._what.zone, (self._what.zone, NS)), now)
            if each is not None
        ]
        for ns, some in self._shared_out(adopts, given):
            self._take(some, ns, now, from_child=True)

    def _shared_out(self, caches: Indices, options: Sequence[_V]) -> Iterator[tuple[_V, Indices]]:
        """Each cache takes one of the options by chance; equal ones are one group."""
        different = list(dict.fromkeys(options))
        if len(different) == 1:
            yield different[0], caches
            return
        if not different or not len(caches):
            return
        which = np.array([different.index(each) for each in options], np.int8)
        chosen = which[self._random.integers(len(options), size=len(caches))]
        for number, each in enumerate(different):
            yield each, caches[chosen == number]

    def _take(self, caches: Indices, ns: RRset, now: float, from_child: bool) -> None:
        names = targets(ns)
        if names not in self._sets:
            self._sets.append(names)
        self._holds[caches] = self._sets.index(names)
        self._expires[caches] = now + max(ns.ttl, self._stage.floor)
        self._from_child[caches] = from_child

    def _fetch(self, caches: Indices, place: str, now: float) -> None:
        """The RRset that tells the sides apart, to keep for its TTL."""
        assert self._what.key is not None
        given = [
            each for each in _now(self._stage.said(place, self._what.zone, self._what.key), now) if each is not None
        ]
        for each, some in self._shared_out(caches, given):
            self._copy[some] = self._side(_address(each))
            self._copied_until[some] = now + max(each.ttl, self._stage.floor)
            self._use_copy(some, now)

    def _use_copy(self, caches: Indices, now: float) -> None:
        sides = self._copy[caches]
        self.last[caches] = sides
        for number, side in enumerate(self.sides):
            track = self._stage.timeline.services.get(side)
            if track is not None and False in _now(track.periods, now):
                self.last[caches[sides == number]] = _FAILED

    def _side(self, name: str) -> int:
        return self.sides.index(name)


def _sides(playback: Playback, what: Followed) -> Iterator[str]:
    """In the order in which they come."""
    if what.key is None:
        above = [place for place, _ in _above(playback, what.zone) if place != PARENT]
        yield from dict.fromkeys([*above, *(place for place, zone in playback.timeline.served if zone == what.zone)])
        return
    found = (
        period.value
        for place, zone in playback.timeline.served
        for period in playback.said(place, zone, what.key)
        if period.value is not None
    )
    yield from dict.fromkeys(map(_address, found))


def _above(playback: Playback, zone: Name) -> list[tuple[str, Name]]:
    """Who hands the zone on, in which zone."""
    return [
        (place, upper)
        for place, upper, name, rtype in playback.timeline.rrsets
        if name == zone and rtype == NS and upper != zone
    ]


def _address(rrset: RRset) -> str:
    return address_text(rrset.rdatas[0])


def _now(periods: Sequence[Period[_V]], now: float) -> list[_V]:
    """What may be had at a moment: two answers while a change is on its way."""
    return [period.value for period in periods if period.begins <= now < period.ends]
