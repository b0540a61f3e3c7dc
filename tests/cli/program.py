"""The installed program, run as its user would, in a folder of its own."""

import functools
import json
import os
import signal
import socket
import subprocess
import sys
import tempfile
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

PROGRAM = str(Path(sys.executable).with_name("legatum"))
ROOT = Path(__file__).parent.parent.parent


def heeds_ctrl_c() -> None:
    """For ``preexec_fn``: where the suite itself runs with the signal ignored, as in the background of a shell, its children would too."""
    signal.signal(signal.SIGINT, signal.SIG_DFL)


@functools.cache
def _starter() -> str:
    """The socket of a starter of this test process's own; it ends with it."""
    place = f"{tempfile.mkdtemp()}/socket"
    process = subprocess.Popen([sys.executable, "-m", "tests.cli.starter", place], cwd=ROOT, stdout=subprocess.PIPE, text=True)
    assert process.stdout is not None and process.stdout.readline() == "ready\n"
    return place


@dataclass
class Ended:
    status: int
    out: str
    err: str

    @property
    def document(self) -> Any:
        return json.loads(self.out)


@dataclass
class Shell:
    """A folder to stand in, and the variables to have."""

    folder: Path
    variables: dict[str, str] = field(default_factory=dict)

    def run(self, *words: str, typed: str | None = None) -> Ended:
        """One command, as the installed program runs it (:mod:`tests.cli.starter`)."""
        with tempfile.TemporaryDirectory() as streams, socket.socket(socket.AF_UNIX) as connection:
            (Path(streams) / "stdin").write_text(typed or "")
            connection.settimeout(100)
            connection.connect(_starter())
            environment = {**os.environ, "NO_COLOR": "1", **self.variables}
            request = {"words": words, "folder": str(self.folder.resolve()), "environment": environment, "streams": streams}
            with connection.makefile("rw") as lines:
                print(json.dumps(request), file=lines, flush=True)
                pid = int(lines.readline())
                try:
                    status = int(lines.readline())
                except TimeoutError:
                    os.kill(pid, signal.SIGKILL)
                    raise AssertionError(f"{words}: still running after 100 s") from None
            out, err = ((Path(streams) / name).read_text() for name in ("stdout", "stderr"))
        assert "Traceback" not in err, err
        return Ended(status, out, err)

    def typed(self, line: str) -> Ended:
        """A line as somebody types it into a shell, with the program on the path."""
        path = f"{Path(PROGRAM).parent}:{os.environ['PATH']}"
        environment = {**os.environ, "NO_COLOR": "1", "PATH": path, **self.variables}
        ended = subprocess.run(
            ["bash", "-c", line], cwd=self.folder, env=environment, stdin=subprocess.DEVNULL, capture_output=True, text=True, timeout=100,
            check=False,
        )  # fmt: skip
        assert "Traceback" not in ended.stderr, ended.stderr
        return Ended(ended.returncode, ended.stdout, ended.stderr)


@dataclass
class PracticeWorld:
    """``legatum practice start`` in the foreground of another process."""

    folder: Path

    def __enter__(self) -> "PracticeWorld":
        self.process = subprocess.Popen(
            [PROGRAM, "practice", "start", str(self.folder), "-q"], stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True
        )
        assert self.process.stdout is not None
        line = self.process.stdout.readline()
        assert line.startswith("settings "), line
        return self

    def __exit__(self, *_: object) -> None:
        self.process.terminate()
        self.process.communicate(timeout=10)

    def shell(self, folder: Path) -> Shell:
        return Shell(folder, {"LEGATUM_SETTINGS": str(self.folder)})


def other_settings(world: PracticeWorld, folder: Path, *changes: tuple[str, str]) -> str:
    text = (world.folder / "legatum.toml").read_text().replace('"file:', f'"file:{world.folder}/')
    for name in ("authority.pem", "rdap-bootstrap.json"):
        text = text.replace(f'"{name}"', f'"{world.folder}/{name}"')
    for old, new in changes:
        assert old in text, old
        text = text.replace(old, new, 1)
    (folder / "other.toml").write_text(text)
    return str(folder / "other.toml")
