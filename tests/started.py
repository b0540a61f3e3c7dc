"""Commands of the program, each in a process of its own, without loading the program anew for each
(:mod:`tests.starter`)."""

import functools
import json
import os
import signal
import socket
import subprocess
import sys
import tempfile
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

ROOT = Path(__file__).parent.parent


@dataclass
class Ended:
    status: int
    out: str
    err: str

    @property
    def document(self) -> Any:
        return json.loads(self.out)


def run_program(
    words: Sequence[str],
    folder: Path,
    variables: Mapping[str, str],
    typed: str = "",
    patience: float = 100,
    before: str = "",
) -> Ended:
    """``variables``: beside those of this process; ``before``: what its process does first, in Python. Raises
    :class:`AssertionError` for what is not over after ``patience`` seconds, and for a traceback."""
    with tempfile.TemporaryDirectory() as streams, socket.socket(socket.AF_UNIX) as connection:
        (Path(streams) / "stdin").write_text(typed)
        connection.settimeout(patience)
        connection.connect(_starter())
        request = {
            "words": words, "folder": str(folder.resolve()), "streams": streams, "before": before,
            "environment": {**os.environ, **variables},
        }  # fmt: skip
        with connection.makefile("rw") as lines:
            print(json.dumps(request), file=lines, flush=True)
            pid = int(lines.readline())
            try:
                status = int(lines.readline())
            except TimeoutError:
                os.kill(pid, signal.SIGKILL)
                raise AssertionError(f"{words}: still running after {patience} s") from None
        out, err = ((Path(streams) / name).read_text() for name in ("stdout", "stderr"))
    assert "Traceback" not in err, err
    return Ended(status, out, err)


@functools.cache
def _starter() -> str:
    """The socket of a starter of this test process's own; it ends with it."""
    place = f"{tempfile.mkdtemp()}/socket"
    process = subprocess.Popen(
        [sys.executable, "-m", "tests.starter", place], cwd=ROOT, stdout=subprocess.PIPE, text=True
    )
    assert process.stdout is not None and process.stdout.readline() == "ready\n"
    return place
