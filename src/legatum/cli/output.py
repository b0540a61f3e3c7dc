"""Standard output that somebody may stop reading: the work goes on to its verdict, and the exit status is what it found. Where it cannot be
written for another reason, such as a full disk, the work goes on too, and that is told in the end."""

import io
import os
import sys
from typing import Any, TextIO


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
    """Puts it in the place of standard output and standard error. What the program was started without leads nowhere: otherwise the first
    file that is opened would get its number, and what is meant for nobody."""
    for number in range(3):
        try:
            os.fstat(number)
        except OSError:
            os.open(os.devnull, os.O_RDWR)  # takes the lowest number that is free
    sys.stdin = sys.stdin or io.TextIOWrapper(io.FileIO(0, closefd=False))
    sys.stdout, sys.stderr = _taken_over(sys.stdout, 1), _taken_over(sys.stderr, 2)


def _taken_over(stream: TextIO | None, number: int) -> TextIO:
    if stream is None:
        return io.TextIOWrapper(io.BufferedWriter(_Output(number, "w", closefd=False)))
    if stream.isatty():
        return stream
    raw = _Output(stream.fileno(), "w", closefd=False)
    return io.TextIOWrapper(io.BufferedWriter(raw), encoding=stream.encoding, errors=stream.errors, line_buffering=number == 2)


def abandoned() -> bool:
    """Nobody gets what is written."""
    return _refused() is not None


def lost() -> OSError | None:
    """Why what was written is not where it should be. To stop reading is everybody's own affair."""
    return None if isinstance(refused := _refused(), BrokenPipeError) else refused


def _refused() -> OSError | None:
    return getattr(getattr(getattr(sys.stdout, "buffer", None), "raw", None), "refused", None)
