"""``legatum watch`` on a terminal, and interrupted."""

import contextlib
import os
import pty
import select
import signal
import subprocess
import time
from pathlib import Path

from tests.cli.program import PROGRAM, PracticeWorld, heeds_ctrl_c


def shown_until(terminal: int, wanted: bytes, seconds: float = 60) -> bytes:
    """What the terminal shows until ``wanted`` is there."""
    seen, deadline = b"", time.monotonic() + seconds
    while wanted not in seen:
        assert time.monotonic() < deadline, seen[-2000:]
        if select.select([terminal], [], [], 0.5)[0]:
            seen += os.read(terminal, 65536)
    return seen


def test_a_live_view_that_ctrl_c_ends_with_the_state_so_far(tmp_path: Path) -> None:
    with PracticeWorld(tmp_path / "world") as world:
        ours, theirs = pty.openpty()
        words = [
            PROGRAM,
            "watch",
            "evensong.test",
            "--to",
            "alder",
            "--every",
            "1s",
            "--curve",
            "so-far.csv",
            "--patience",
            "9d",
        ]
        environment = {
            **os.environ,
            "LEGATUM_SETTINGS": str(world.folder),
            "COLUMNS": "140",
            "LINES": "50",
            "TERM": "xterm-256color",
        }
        process = subprocess.Popen(
            words,
            cwd=tmp_path,
            env=environment,
            stdin=theirs,
            stdout=theirs,
            stderr=subprocess.PIPE,
            text=True,
            start_new_session=True,
            preexec_fn=heeds_ctrl_c,
        )
        os.close(theirs)
        seen = shown_until(ours, b"look 3")
        assert b"ns1.birch.example" in seen and "█".encode() not in seen and "░".encode() in seen
        assert b"own server" in seen and b"resolver" in seen and b"\x1b[" in seen
        os.killpg(process.pid, signal.SIGINT)
        with contextlib.suppress(OSError):  # the terminal is closed when the program is gone
            while os.read(ours, 65536):
                pass
        process.wait(20)
        assert process.stderr is not None
        err = process.stderr.read()
        assert process.returncode == 130 and "Traceback" not in err and "curve: so-far.csv" in err
        assert len((tmp_path / "so-far.csv").read_text().splitlines()) >= 4
        os.close(ours)
