"""The exact check of a runbook of 30 steps of every kind, drafting included; a population of a million caches over one;
and where a move stands, with ten thousand others in the journal."""

import resource
import sqlite3
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

from tests.core.moves.drawn import AT, KINDS, drawing, plan

from bench.figure import Figure
from legatum.core.moves.runbook import Runbook
from legatum.core.records.name import name_text, parse_name
from legatum.core.rehearsal import rehearse
from legatum.core.rehearsal.crowd import follow_all
from legatum.journal.journal import Journal
from legatum.work.movefile import write_move

_CACHES = 1_000_000
_MOVES = 10_000
_PROGRAM = str(Path(sys.executable).with_name("legatum"))


def _thirty_steps(kind: str) -> Runbook:
    """A plan of the kind, in which one of its changes comes again and again under other names until there are
    thirty."""
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
    yield Figure(
        f"{_CACHES:,} caches over a provider move",
        f"{took:.1f} s",
        f"5 s; {memory} MiB at most so far",
        took / 5,
        "≤ 1",
    )
    with tempfile.TemporaryDirectory() as folder:
        took = _status(Path(folder))
    yield Figure(
        f"move status, {_MOVES:,} moves in the journal", f"{took * 1000:.0f} ms", "1 s, start-up counted", took, "≤ 1"
    )


def _status(folder: Path) -> float:
    """Of one move that is done, among as many as there are domains; each with an intent and an outcome for every
    step."""
    move = plan("provider")
    (folder / "legatum.toml").write_text('[network]\nroots = { "a.root.test" = ["192.0.2.1"] }\nmap = {}\n')
    write_move(folder / "moves" / f"{name_text(move.domain)}.move.toml", move)
    journal = Journal("journal.sqlite", folder)
    journal.intend(move.id, move.domain, move.steps[0].id, AT, "first")
    names = [(f"move-{number}", name_text(parse_name(f"d{number:05}.example."))) for number in range(_MOVES)]
    steps = [(each.id, kind) for each in move.steps for kind in ("intent", "outcome")]
    facts = '{"first": 1000.0, "all": 1000.0}'
    with sqlite3.connect(folder / "journal.sqlite") as database:
        database.executemany(
            "INSERT INTO entries (move, domain, step, kind, at, text, facts) VALUES (?, ?, ?, ?, ?, ?, ?)",
            ((ident, domain, step, kind, AT, "done", facts) for ident, domain in names for step, kind in steps),
        )
    database.close()
    began = time.perf_counter()
    subprocess.run([_PROGRAM, "move", "status", name_text(move.domain)], check=True, capture_output=True, cwd=folder)
    return time.perf_counter() - began
