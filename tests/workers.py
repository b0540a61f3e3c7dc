"""A scheduler and workers of the tests' own, each a process."""

import json
import os
import subprocess
import sys
import time
from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path

from tests.cli.program import PROGRAM

_START = 40.0  # seconds


@dataclass
class Workers:
    """``place``: the scheduler's address, once it was started; ``prefix`` of a command: what it begins with, to be run
    somewhere else."""

    folder: Path
    place: str = ""
    processes: dict[str, "subprocess.Popen[str]"] = field(default_factory=dict)

    def start_scheduler(self, *options: str, prefix: Sequence[str] = (), version: str = "") -> str:
        """Its address; where it had one, it is started there again. ``version``: of the library, as it says of
        itself."""
        told = self.folder / f"scheduler-{time.monotonic_ns()}.json"
        port = ("--port", self.place.rpartition(":")[2] if self.place else "0")
        where = () if "--host" in options else ("--host", "127.0.0.1")
        started = ("-m", "distributed.cli.dask_scheduler")
        if version:
            says = f"from distributed import versions; versions.version = lambda name: {version!r}"
            started = ("-c", f"{says}; from distributed.cli.dask_scheduler import main; main()")
        words = [*prefix, sys.executable, *started, "--no-dashboard", "--scheduler-file", str(told), *where]
        self._start("scheduler", [*words, *port, *options])
        given_up = time.monotonic() + _START
        while not told.exists() or not told.read_text().strip():
            assert time.monotonic() < given_up and self.processes["scheduler"].poll() is None
            time.sleep(0.05)
        self.place = json.loads(told.read_text())["address"]
        return self.place

    def start_worker(self, name: str, *options: str, prefix: Sequence[str] = (), source: Path | None = None) -> None:
        """``source``: a folder with another state of the program."""
        command = [PROGRAM] if source is None else [sys.executable, "-m", "legatum"]
        words = [*prefix, *command, "worker", "--scheduler", self.place, "--name", name, *options]
        self._start(name, words, source)

    def start_worker_by_another_clock(self, name: str, ahead: float) -> None:
        started = (
            f"import time; true = time.time; time.time = lambda: true() + {ahead}; from legatum.__main__ "
            "import start; start()"
        )
        self._start(name, [sys.executable, "-c", started, "worker", "--scheduler", self.place, "--name", name])

    def wait_for(self, *names: str) -> None:
        """Until they look from where they are."""
        for name in names:
            log = self.folder / f"{name}.log"
            given_up = time.monotonic() + _START
            while "looks from" not in log.read_text():
                assert time.monotonic() < given_up and self.processes[name].poll() is None, log.read_text()
                time.sleep(0.05)

    def _start(self, name: str, words: Sequence[str], source: Path | None = None) -> None:
        if name in self.processes:
            self.kill(name)  # who comes again under a name takes its place
        environment = {**os.environ, **({"PYTHONPATH": str(source)} if source is not None else {})}
        with (self.folder / f"{name}.log").open("w") as log:
            self.processes[name] = subprocess.Popen(
                words, stdout=log, stderr=log, text=True, cwd=self.folder, env=environment
            )

    def kill(self, name: str) -> None:
        self.processes[name].kill()
        self.processes[name].wait()

    def end(self) -> None:
        for each in self.processes.values():
            if each.poll() is None:
                each.kill()
                each.wait()
