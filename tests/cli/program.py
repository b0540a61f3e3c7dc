"""The installed program, run as its user would, in a folder of its own."""

import os
import signal
import subprocess
import sys
from dataclasses import dataclass, field
from pathlib import Path

from tests.started import Ended, run_program

PROGRAM = str(Path(sys.executable).with_name("legatum"))


def heeds_ctrl_c() -> None:
    """For ``preexec_fn``: where the suite itself runs with the signal ignored, as in the background of a shell, its
    children would too."""
    signal.signal(signal.SIGINT, signal.SIG_DFL)


@dataclass
class Shell:
    """A folder to stand in, and the variables to have."""

    folder: Path
    variables: dict[str, str] = field(default_factory=dict)

    def run(self, *words: str, typed: str | None = None) -> Ended:
        """One command, as the installed program runs it."""
        return run_program(words, self.folder, {"NO_COLOR": "1", **self.variables}, typed or "")

    def typed(self, line: str) -> Ended:
        """A line as somebody types it into a shell, with the program on the path."""
        path = f"{Path(PROGRAM).parent}:{os.environ['PATH']}"
        environment = {**os.environ, "NO_COLOR": "1", "PATH": path, **self.variables}
        ended = subprocess.run(
            ["bash", "-c", line],
            cwd=self.folder,
            env=environment,
            stdin=subprocess.DEVNULL,
            capture_output=True,
            text=True,
            timeout=100,
            check=False,
        )
        assert "Traceback" not in ended.stderr, ended.stderr
        return Ended(ended.returncode, ended.stdout, ended.stderr)


@dataclass
class PracticeWorld:
    """``legatum practice start`` in the foreground of another process."""

    folder: Path

    def __enter__(self) -> "PracticeWorld":
        self.process = subprocess.Popen(
            [PROGRAM, "practice", "start", str(self.folder), "-q"],
            stdout=subprocess.PIPE,
            stderr=subprocess.PIPE,
            text=True,
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
