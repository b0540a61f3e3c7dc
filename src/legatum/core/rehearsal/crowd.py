"""A population of caches over a rehearsed runbook, as it is estimated to go."""

from concurrent.futures import ThreadPoolExecutor

import numpy as np

from legatum.core.moves.runbook import forecast
from legatum.core.rehearsal import Rehearsal
from legatum.core.rehearsal.caches import CacheKind
from legatum.core.rehearsal.population import Shares, follow, followed
from legatum.core.running.fault import BadInput

_MOST = 50_000_000
_BEFORE, _AFTER = 600.0, 3600.0  # seconds that are shown beside the runbook


def follow_all(rehearsal: Rehearsal, caches: int) -> tuple[Shares, ...]:
    """So many caches, a third of each kind. Raises :class:`BadInput` where nothing changes for visitors."""
    what = followed(rehearsal.runbook)
    if what is None:
        raise BadInput("nothing of this move can be seen by a visitor in another place", "leave --population out")
    if not 3 <= caches <= _MOST:
        raise BadInput(f"{caches} caches are no population", f"give a number up to {_MOST}")
    playback = rehearsal.stages["as estimated"]
    slots = list(forecast(rehearsal.runbook, {}, rehearsal.runbook.drafted))
    begins, ends = slots[0].first - _BEFORE, slots[-1].ends + _AFTER

    def one(kind: CacheKind) -> Shares:
        return follow(playback, what, kind, begins, ends, np.random.default_rng(1), caches // len(CacheKind))

    with ThreadPoolExecutor(len(CacheKind)) as threads:  # the arithmetic of arrays goes on side by side
        return tuple(threads.map(one, CacheKind))
