"""Standard output that somebody may stop reading: the work goes on to its verdict, and the exit status is what it found. Where it cannot be
written for another reason, such as a full disk, the work goes on too, and that is told in the end."""

import io
import os
import sys
from typing import Any


class _Output(io.FileIO):
    """A pipe or a file; what nobody reads any more, or nobody can keep, is dropped."""

    refused: OSError | None = None

    def write(self, data: Any) -> int:
        try:
            return super().write(data)
        except OSError as error:
            self.refused = error
            os.dup2(os.open(os.devnull, os.O_WRONLY), self.fileno())
            return memoryview(data).nbytes


def take_over() -> None:
    """Puts it in the place of standard output."""
    if sys.stdout is None or sys.stdout.isatty():
        return
    raw = _Output(sys.stdout.fileno(), "w", closefd=False)
    sys.stdout = io.TextIOWrapper(io.BufferedWriter(raw), encoding=sys.stdout.encoding, errors=sys.stdout.errors)


def abandoned() -> bool:
    """Nobody gets what is written."""
    return _refused() is not None


def lost() -> OSError | None:
    """Why what was written is not where it should be. To stop reading is everybody's own affair."""
    return None if isinstance(refused := _refused(), BrokenPipeError) else refused


def _refused() -> OSError | None:
    return getattr(getattr(getattr(sys.stdout, "buffer", None), "raw", None), "refused", None)
