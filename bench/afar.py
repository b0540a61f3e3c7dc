"""A list shared by two workers of a scheduler against two local processes, and what that costs in memory everywhere."""

import json
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path

from bench.figure import Figure
from bench.fleet import survey_of
from bench.world import BenchWorld, bench_world, nsd_program

_DOMAINS, _MANY, _ROUNDS = 8_000, 40_000, 3


class Engine:
    """A scheduler and its workers, each a process."""

    def __init__(
        self,
        folder: Path,
        spaces: Sequence[str] = ("", ""),
        host: str = "127.0.0.1",
        certificates: Mapping[str, str] | None = None,
    ):
        """``spaces``: the network namespace of each worker, empty for this one's; ``host``: where the scheduler is to
        be reached, with TLS where there are ``certificates``."""
        told, files = folder / f"scheduler{len(spaces)}.json", certificates or {}
        told.unlink(missing_ok=True)
        scheme = "tls" if files else "tcp"
        words = [
            "-m",
            "distributed.cli.dask_scheduler",
            "--no-dashboard",
            "--host",
            f"{scheme}://{host}",
            "--port",
            "0",
        ]
        words += ["--scheduler-file", str(told)]
        for flag, name in (("--tls-ca-file", "authority"), ("--tls-cert", "certificate"), ("--tls-key", "key")):
            words += [flag, files[name]] if files else []
        self.processes = [_started([sys.executable, *words])]
        while not told.exists() or not told.read_text().strip():
            time.sleep(0.05)
        self.place = json.loads(told.read_text())["address"]
        secured = [word for name, file in files.items() for word in (f"--{name}", file)]
        for number, space in enumerate(spaces):
            prefix = ["ip", "netns", "exec", space] if space else []
            worker = ["-m", "legatum", "worker", "--scheduler", self.place, "--name", f"w{number}", *secured]
            self.processes.append(_started([*prefix, sys.executable, *worker]))
        time.sleep(2 + len(spaces))

    def peaks(self) -> list[float]:
        """The most memory that each has had, in MiB."""
        found = []
        for each in self.processes:
            line = next(
                line for line in Path(f"/proc/{each.pid}/status").read_text().splitlines() if line.startswith("VmHWM")
            )
            found.append(int(line.split()[1]) / 1024)
        return found

    def end(self) -> None:
        for each in self.processes:
            each.terminate()
            each.wait()


def _started(words: list[str]) -> "subprocess.Popen[bytes]":
    return subprocess.Popen(words, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)


def _measured(world: BenchWorld, place: str) -> list[float]:
    """One run; the peaks of client, scheduler and workers."""
    command = [
        sys.executable,
        "-m",
        "legatum",
        "fleet",
        "survey",
        str(world.names),
        "--settings",
        str(world.settings),
        "--json",
        "-q",
    ]
    script = "import resource, subprocess, sys; subprocess.run(sys.argv[1:], stdout=subprocess.DEVNULL); "
    script += "print(resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 1024)"
    told = subprocess.run(
        [sys.executable, "-c", script, *command, "--engine", place], capture_output=True, text=True, check=True
    ).stdout
    return [float(told)]


def figures() -> Iterator[Figure]:
    if nsd_program() is None:
        yield Figure("a list by two workers", "-", "needs Debian's nsd", 0.0, "≤ 1.15")
        return
    with tempfile.TemporaryDirectory() as text, bench_world(_DOMAINS) as world:
        engine = Engine(Path(text))
        try:
            pairs = []
            for _ in range(_ROUNDS):
                here, there = survey_of(world, "--jobs", "2"), survey_of(world, "--engine", engine.place)
                pairs.append((there["seconds"] / here["seconds"], there["seconds"], here["seconds"]))
            ratio, there_took, here_took = statistics.median_low(pairs)
            what = f"survey of {_DOMAINS:,} domains by two workers"
            yield Figure(what, f"{there_took:.1f} s", f"{here_took:.1f} s, two processes here", ratio, "≤ 1.15")
            few = _measured(world, engine.place) + engine.peaks()
            with bench_world(_MANY) as larger:
                many = _measured(larger, engine.place) + engine.peaks()
        finally:
            engine.end()
    for who, less, more in zip(("client", "scheduler", "one worker", "the other"), few, many, strict=True):
        yield Figure(
            f"peak memory for {_MANY:,} domains by workers: {who}",
            f"{more:.0f} MiB",
            f"{less:.0f} MiB for {_DOMAINS:,}",
            more / less,
            "≤ 1.5",
        )
