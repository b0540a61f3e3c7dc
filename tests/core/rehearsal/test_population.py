"""A population of caches: within what the exact check allows, and of the right shape."""

import numpy as np
import pytest

from legatum.core.moves.runbook import forecast
from legatum.core.rehearsal import build_stage, rehearse
from legatum.core.rehearsal.caches import CacheKind
from legatum.core.rehearsal.careless import careless
from legatum.core.rehearsal.population import follow, followed
from tests.core.moves.drawn import AT, plan

MOVE = plan("provider")
WHAT = followed(MOVE)
assert WHAT is not None


@pytest.mark.parametrize("kind", list(CacheKind))
def test_in_a_safe_move_nobody_fails_and_everybody_arrives(kind: CacheKind) -> None:
    slots = list(forecast(MOVE, {}, AT))
    switched, ends = slots[5].first, slots[-1].ends
    shares = follow(
        build_stage(MOVE, slots),
        WHAT,
        kind,
        switched - 600,
        ends + 7200,
        np.random.default_rng(3),
        caches=800,
        every=300,
    )
    new = shares.answered["birch"]
    assert shares.failed.max() == 0 and new[0] == 0 and new[-1] > 0.999
    assert np.all(np.diff(new) > -0.02)


def test_the_careless_way_costs_what_each_kind_of_cache_keeps() -> None:
    hasty = careless(MOVE)
    assert not rehearse(hasty, {}, AT).safe
    playback = build_stage(hasty, list(forecast(hasty, {}, AT)))
    last = {}
    for kind in CacheKind:
        shares = follow(
            playback, WHAT, kind, AT - 600, AT + 95_000, np.random.default_rng(3), caches=500, every=300, points=800
        )
        last[kind] = shares.times[np.nonzero(shares.failed > 0.01)[0][-1]] - AT
        assert shares.failed.max() > 0.3
    assert last[CacheKind.PARENT_TRUSTING] < 9000 < last[CacheKind.CHILD_TRUSTING] and last[CacheKind.STICKY] > 80_000


@pytest.mark.parametrize(
    ("kind", "sides"),
    [("address", ("192.0.2.10", "192.0.2.99")), ("part", ("alder", "birch")), ("second", ("alder", "cedar"))],
)
def test_what_else_is_changed_has_its_sides(kind: str, sides: tuple[str, str]) -> None:
    move = plan(kind)
    what = followed(move)
    assert what is not None
    slots = list(forecast(move, {}, AT))
    shares = follow(
        build_stage(move, slots),
        what,
        CacheKind.CHILD_TRUSTING,
        AT - 600,
        slots[-1].ends + 90_000,
        np.random.default_rng(3),
        500,
        300,
    )
    assert tuple(shares.answered) == sides and shares.failed.max() == 0
    assert shares.answered[sides[0]][0] == 1 and shares.answered[sides[1]][-1] > (0.3 if kind == "second" else 0.99)


def test_the_same_seed_gives_the_same_picture() -> None:
    playback = build_stage(MOVE, list(forecast(MOVE, {}, AT)))
    one, other = (
        follow(playback, WHAT, CacheKind.STICKY, AT, AT + 100, np.random.default_rng(5), 50, 20, 30) for _ in range(2)
    )
    assert np.array_equal(one.answered["birch"], other.answered["birch"])
