"""The exact check of a runbook of 30 steps."""

import time
from collections.abc import Iterator
from dataclasses import replace

from bench.figure import Figure
from legatum.core.moves.provider import Observed, Side, Wish, draft
from legatum.core.name import parse_name
from legatum.core.rehearsal import rehearse
from legatum.core.runbook import Runbook
from legatum.core.timing import Caution

_OLD = tuple(parse_name(f"ns{number}.alder.test.") for number in (1, 2))
_NEW = tuple(parse_name(f"ns{number}.birch.example.") for number in (1, 2))


def _thirty_steps() -> Runbook:
    """A move in which the NS set's TTL is changed again and again before the switch."""
    seen = Observed(
        parse_name("kilnandclay.example."),
        0.0,
        parse_name("example."),
        3600,
        86400,
        86400,
        1800,
        1,
        14400,
        _OLD,
        ((_NEW[0], 600),),
        unsigned="no DS",
    )
    wish = Wish("bench", Side("alder", _OLD), Side("birch", _NEW), "flint", 300, 86400, 240, Caution(300, 4, 30))
    move = draft(seen, wish)
    lower = move.step("lower")
    more = [replace(lower, id=f"lower-{number}", details={**lower.details, "ttl": 300 + 50 * number}) for number in range(19)]
    at = move.steps.index(lower)
    return replace(move, steps=(*move.steps[:at], *more, *move.steps[at:]))


def figures() -> Iterator[Figure]:
    runbook = _thirty_steps()
    assert len(runbook.steps) == 30
    began = time.perf_counter()
    found = rehearse(runbook, {}, 0.0)
    took = time.perf_counter() - began
    assert found.safe
    yield Figure("exact check of a runbook of 30 steps", f"{took * 1000:.0f} ms", f"1 s; {found.checked:,} copies followed", took, "≤ 1")
