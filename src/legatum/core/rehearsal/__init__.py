"""Rehearsing a runbook: what every server says when, what every kind of cache may hold then, and whether anybody would
notice.

Three steps, one file each: :mod:`stage` turns a runbook into the contents of servers over time; :mod:`holding` works
out everything that caches may hold at any moment; :mod:`verdict` looks for a moment at which somebody would get a wrong
answer. None of them knows a kind of move: they see effects.
"""

from legatum.core.rehearsal.holding import CachedNsSet, holdings
from legatum.core.rehearsal.playback import Playback, build_stage
from legatum.core.rehearsal.verdict import Counterexample, Rehearsal, rehearse, require_safe, schedules

__all__ = [
    "CachedNsSet",
    "Counterexample",
    "Playback",
    "Rehearsal",
    "build_stage",
    "holdings",
    "rehearse",
    "require_safe",
    "schedules",
]
