"""A population of caches: within what the exact check allows, and of the right shape."""

import numpy as np
import pytest

from legatum.core.caches import CacheKind
from legatum.core.moves.careless import careless
from legatum.core.moves.provider import draft
from legatum.core.population import follow
from legatum.core.rehearsal import build_stage, rehearse
from legatum.core.runbook import forecast
from tests.core.test_provider_move import SEEN, WISH

MOVE = draft(SEEN, WISH)


@pytest.mark.parametrize("kind", list(CacheKind))
def test_in_a_safe_move_nobody_fails_and_everybody_arrives(kind: CacheKind) -> None:
    standings = list(forecast(MOVE, {}, SEEN.at))
    switched, ends = standings[5].first, standings[-1].ends
    shares = follow(build_stage(MOVE, standings), kind, switched - 600, ends + 7200, np.random.default_rng(3), caches=800, every=300)
    assert shares.failed.max() == 0 and shares.new[0] == 0 and shares.new[-1] > 0.999
    assert np.all(np.diff(shares.new) > -0.02)


def test_the_careless_way_costs_what_each_kind_of_cache_keeps() -> None:
    hasty = careless(MOVE)
    assert not rehearse(hasty, {}, SEEN.at).safe
    stage = build_stage(hasty, list(forecast(hasty, {}, SEEN.at)))
    last = {}
    for kind in CacheKind:
        shares = follow(stage, kind, SEEN.at - 600, SEEN.at + 95_000, np.random.default_rng(3), caches=500, every=300)
        last[kind] = shares.times[np.nonzero(shares.failed > 0.01)[0][-1]] - SEEN.at
        assert shares.failed.max() > 0.3
    assert last[CacheKind.PARENT_TRUSTING] < 9000 < last[CacheKind.CHILD_TRUSTING] and last[CacheKind.STICKY] > 80_000


def test_the_same_seed_gives_the_same_picture() -> None:
    stage = build_stage(MOVE, list(forecast(MOVE, {}, SEEN.at)))
    one, other = (follow(stage, CacheKind.STICKY, SEEN.at, SEEN.at + 100, np.random.default_rng(5), 50, 20, 30) for _ in range(2))
    assert np.array_equal(one.new, other.new)
