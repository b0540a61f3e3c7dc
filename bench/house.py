"""The whole house at one look: ten thousand moves, each somewhere on its way, in a fleet move of as many domains."""

import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

from tests.core.moves.drawn import AT, plan

from bench.figure import Figure
from legatum.core.moves.outcome import Outcome
from legatum.core.moves.runbook import Runbook
from legatum.core.records.name import Name, name_text, parse_domain
from legatum.journal.journal import Journal
from legatum.work.movefile import write_move

_MOVES = 10_000
_PROGRAM = str(Path(sys.executable).with_name("legatum"))


def figures() -> Iterator[Figure]:
    with tempfile.TemporaryDirectory() as folder:
        _furnish(Path(folder))
        first, again = _look(Path(folder)), min(_look(Path(folder)) for _ in range(3))
    yield Figure(
        f"house, {_MOVES:,} moves, none looked at before", f"{first:.1f} s", "1 s, start-up counted", first, ""
    )
    yield Figure(f"house, {_MOVES:,} moves", f"{again * 1000:.0f} ms", "1 s, start-up counted", again, "≤ 1")


def _look(folder: Path) -> float:
    began = time.perf_counter()
    ended = subprocess.run([_PROGRAM, "house", "-q"], check=False, capture_output=True, text=True, cwd=folder)
    took = time.perf_counter() - began
    assert f"{_MOVES // 10:,}".replace(",", "") in ended.stdout, ended.stderr
    return took


def _furnish(folder: Path) -> None:
    """A move file for each domain, and in the journal what was done of it: all steps of one in ten, some of the
    others."""
    (folder / "legatum.toml").write_text('[network]\nroots = { "a.root.test" = ["192.0.2.1"] }\nmap = {}\n')
    move, journal = plan("provider"), Journal("journal.sqlite", folder)
    sample = folder / "sample.toml"
    write_move(sample, move)
    text, domain = sample.read_text(), name_text(move.domain)
    sample.unlink()
    (folder / "moves").mkdir()
    names = [f"d{number:05}.example" for number in range(_MOVES)]
    for number, name in enumerate(names):
        (folder / "moves" / f"{name}.move.toml").write_text(
            text.replace(move.id, f"move-{number}").replace(domain, name)
        )
    for number, name in enumerate(names):
        _go(journal, move, f"move-{number}", parse_domain(name), len(move.steps) if number % 10 == 0 else number % 6)
    listed = ", ".join(f'"{name}"' for name in names)
    (folder / "moves" / "leaving.waves.toml").write_text(
        f'schema = "legatum.waves/1"\nbegan = {AT}\npaused = false\nleft_out = []\nwaves = '
        f"[{{ domains = [{listed}] }}]\n"
        "[terms]\n[wish]\n[rows]\n[customers]\n"
    )


def _go(journal: Journal, move: Runbook, ident: str, domain: Name, steps: int) -> None:
    for number, step in enumerate(move.steps[:steps]):
        at = AT + 60.0 * number
        journal.settle(ident, domain, Outcome(step.id, at, at, "done"), at, ())
