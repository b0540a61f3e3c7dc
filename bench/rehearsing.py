"""The exact check of a runbook of 30 steps of every kind, drafting included; and a population of a million caches over one."""

import resource
import time
from collections.abc import Iterator
from dataclasses import replace

from tests.core.drawn import AT, KINDS, drawing, plan

from bench.figure import Figure
from legatum.core.moves.runbook import Runbook
from legatum.core.rehearsal import rehearse
from legatum.work.moves.crowd import follow_all

_CACHES = 1_000_000


def _thirty_steps(kind: str) -> Runbook:
    """A plan of the kind, in which one of its changes comes again and again under other names until there are thirty."""
    move = plan(kind, drawing(follows=("cedar",) if kind == "soa" else ()))
    again = next(step for step in move.steps if step.changes)
    more = [replace(again, id=f"{again.id} {number}") for number in range(30 - len(move.steps))]
    at = move.steps.index(again)
    return replace(move, steps=(*move.steps[:at], *more, *move.steps[at:]))


def figures() -> Iterator[Figure]:
    slowest, what, copies = 0.0, "", 0
    for kind in KINDS:
        began = time.perf_counter()
        runbook = _thirty_steps(kind)
        found = rehearse(runbook, {}, AT)
        took = time.perf_counter() - began
        assert found.safe and len(runbook.steps) == 30, kind
        if took > slowest:
            slowest, what, copies = took, kind, found.checked
    yield Figure(
        f"drafting and exact check of 30 steps, slowest of {len(KINDS)} kinds ({what})", f"{slowest * 1000:.0f} ms",
        f"1 s; {copies:,} copies followed", slowest, "≤ 1",
    )  # fmt: skip
    began = time.perf_counter()
    move = plan("provider")
    assert len(follow_all(rehearse(move, {}, AT), _CACHES)) == 3
    took = time.perf_counter() - began
    memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024
    yield Figure(f"{_CACHES:,} caches over a provider move", f"{took:.1f} s", f"5 s; {memory} MiB at most so far", took / 5, "≤ 1")
