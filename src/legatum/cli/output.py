"""Standard output that somebody may stop reading: the work goes on to its verdict, and the exit status is what it found."""

import io
import os
import sys
from typing import Any


class _Output(io.FileIO):
    """A pipe; what nobody reads any more is dropped."""

    abandoned = False

    def write(self, data: Any) -> int:
        try:
            return super().write(data)
        except BrokenPipeError:
            self.abandoned = True
            os.dup2(os.open(os.devnull, os.O_WRONLY), self.fileno())
            return memoryview(data).nbytes


def take_over() -> None:
    """Puts it in the place of standard output."""
    if sys.stdout is None or sys.stdout.isatty():
        return
    raw = _Output(sys.stdout.fileno(), "w", closefd=False)
    sys.stdout = io.TextIOWrapper(io.BufferedWriter(raw), encoding=sys.stdout.encoding, errors=sys.stdout.errors)


def abandoned() -> bool:
    """Nobody reads what is written."""
    return getattr(getattr(getattr(sys.stdout, "buffer", None), "raw", None), "abandoned", False)
