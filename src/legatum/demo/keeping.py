"""Keeping what is shown: standard output and standard error, to the screen and into a file."""

import contextlib
import io
from collections.abc import Iterator
from typing import TextIO


class _Both(io.TextIOBase):
    """Standard output that is also kept in a file. To the commands it looks like the terminal it is."""

    encoding = "utf-8"

    def __init__(self, screen: TextIO, kept: TextIO) -> None:
        self._screen = screen
        self._kept = kept

    def write(self, text: str) -> int:
        self._kept.write(text)
        return self._screen.write(text)

    def flush(self) -> None:
        self._screen.flush()

    def isatty(self) -> bool:
        return self._screen.isatty()

    def fileno(self) -> int:
        return self._screen.fileno()


@contextlib.contextmanager
def shown_and_kept(screen: TextIO, kept: TextIO) -> Iterator[None]:
    """Within it everything printed goes to both."""
    both = _Both(screen, kept)
    with contextlib.redirect_stdout(both), contextlib.redirect_stderr(both):
        yield
