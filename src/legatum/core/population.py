"""A population of caches with random timing, followed over a stage: who is answered by which side, and who fails, when.

Where :mod:`legatum.core.rehearsal` asks what *can* happen to any cache, this shows what happens to most.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from legatum.core.caches import CacheKind
from legatum.core.rehearsal.stage import Content, Period, Stage, Which

_V = TypeVar("_V")
_OLD, _NEW, _FAILED = 0, 1, 2
_SIDES = {Which.OLD: _OLD, Which.NEW: _NEW}


@dataclass(frozen=True)
class Shares:
    """At each of ``times`` (seconds since 1970), the share of caches whose last question the new side answered, and of those
    that failed; both 0…1."""

    kind: CacheKind
    times: NDArray[np.float64]
    new: NDArray[np.float64]
    failed: NDArray[np.float64]


def follow(
    stage: Stage, kind: CacheKind, begins: float, ends: float, generator: np.random.Generator, caches: int = 3000,
    every: float = 600.0, points: int = 500,
) -> Shares:  # fmt: skip
    """``every``: mean seconds between two questions that a cache has to answer. The state is advanced in ``points`` steps."""
    times = np.linspace(begins, ends, points)
    # Copies held when the picture begins were fetched at any time before: caches come in one by one over the longest TTL.
    longest = _longest(stage)
    runup = np.arange(begins - 2 * longest, begins, max(every / 2, longest / 300))
    crowd = _Crowd(stage, kind, caches, every, float(runup[0]), generator, longest)
    for now in runup:
        crowd.advance(float(now))
    new, failed = np.zeros(points), np.zeros(points)
    for number, now in enumerate(times):
        crowd.advance(float(now))
        new[number] = float(np.mean(crowd.last == _NEW))
        failed[number] = float(np.mean(crowd.last == _FAILED))
    return Shares(kind, times, new, failed)


def _longest(stage: Stage) -> float:
    sets = [*stage.delegation, *(period for periods in stage.apex.values() for period in periods)]
    return float(max(stage.lasts(period.value.ttl) for period in sets))


class _Crowd:
    """The caches, as columns: which NS set each holds, until when, from whom, when it is asked next, who answered last."""

    def __init__(
        self, stage: Stage, kind: CacheKind, count: int, every: float, begins: float, generator: np.random.Generator, spread: float
    ) -> None:
        self._stage, self._kind, self._every, self._random = stage, kind, every, generator
        self._holds = np.zeros(count, np.int8)
        self._expires = np.full(count, -np.inf)
        self._from_child = np.zeros(count, bool)
        self._next = begins + generator.uniform(0, spread, count)
        self.last = np.zeros(count, np.int8)

    def advance(self, now: float) -> None:
        """All questions due until ``now``."""
        asked = self._next <= now
        count = int(asked.sum())
        if not count:
            return
        self._next[asked] = now + self._random.exponential(self._every, count)
        gone = asked & (self._expires <= now)
        self._take(gone, _now(self._stage.delegation, now), now, from_child=False)
        for which, side in _SIDES.items():
            here = asked & (self._holds == side)
            contents = _now(self._stage.content[which], now)
            good = here & (self._random.random(len(here)) < sum(each == Content.WHOLE for each in contents) / len(contents))
            self.last[here] = np.where(good[here], side, _FAILED)
            self._learn(good, which, now)

    def _learn(self, answered: NDArray[np.bool_], which: Which, now: float) -> None:
        if self._kind == CacheKind.PARENT_TRUSTING:
            return
        adopts = answered if self._kind == CacheKind.STICKY else answered & ~self._from_child
        self._take(adopts, _now(self._stage.apex[which], now), now, from_child=True)

    def _take(self, caches: NDArray[np.bool_], given: Sequence[Any], now: float, from_child: bool) -> None:
        chosen = self._random.integers(len(given), size=len(caches))
        for number, ns in enumerate(given):
            some = caches & (chosen == number)
            self._holds[some] = _SIDES[ns.which]
            self._expires[some] = now + max(ns.ttl, self._stage.floor)
            self._from_child[some] = from_child


def _now(periods: Sequence[Period[_V]], now: float) -> list[_V]:
    """What may be had at a moment: two answers while a change is on its way."""
    return [period.value for period in periods if period.begins <= now < period.ends]
