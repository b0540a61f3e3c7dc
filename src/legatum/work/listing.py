"""Lists of domains: one name a line, or a column of a CSV table; a file or standard input. Read as they are worked off."""

import asyncio
import csv
import os
import stat
import sys
from collections.abc import AsyncIterator, Iterator
from pathlib import Path

from legatum.core.fault import BadInput

_LONGEST_LINE = 1 << 20


async def read_listing(source: str, column: str | None) -> AsyncIterator[str]:
    """The names as they stand there; empty lines and those that begin with # are passed over. ``-`` is standard input.

    ``column``: its heading, or its number from 1. Raises :class:`BadInput` for a file or column that is not there.
    """
    if source == "-" and _can_wait():
        chosen = _Column(column, source)
        async for line in _piped():
            if (text := chosen.of(line)) is not None:
                yield text
        return
    for text in _filed(source, column):
        yield text


def _can_wait() -> bool:
    """Standard input is something that one can wait for: a pipe, a socket or a terminal."""
    mode = os.fstat(sys.stdin.fileno()).st_mode
    return stat.S_ISFIFO(mode) or stat.S_ISSOCK(mode) or sys.stdin.isatty()


def count_of(source: str, column: str | None) -> int | None:
    """How many names there are, for the remaining time; None for standard input. Raises :class:`BadInput`."""
    return None if source == "-" else sum(1 for _ in _filed(source, column))


def _filed(source: str, column: str | None) -> Iterator[str]:
    chosen = _Column(column, source)
    try:
        with open(0 if source == "-" else Path(source), encoding="utf-8-sig", errors="replace", closefd=source != "-") as lines:
            for line in lines:
                if (text := chosen.of(line)) is not None:
                    yield text
    except OSError as error:
        raise BadInput(f"{source}: {error.strerror}", "give a file with one name a line, or - for standard input") from None


async def _piped() -> AsyncIterator[str]:
    """Standard input without holding anything else up."""
    reader = asyncio.StreamReader(limit=_LONGEST_LINE)
    await asyncio.get_running_loop().connect_read_pipe(lambda: asyncio.StreamReaderProtocol(reader), sys.stdin)
    while line := await reader.readline():
        yield line.decode("utf-8-sig", "replace")


class _Column:
    """Takes the name out of a line."""

    def __init__(self, column: str | None, source: str) -> None:
        self._wanted = column
        self._source = source
        self._at = int(column) - 1 if column and column.isdecimal() and int(column) > 0 else None

    def of(self, line: str) -> str | None:
        if self._wanted is None:
            text = line.strip()
            return text if text and not text.startswith("#") else None
        cells = [cell.strip() for cell in next(csv.reader([line]), [])]
        if self._at is None:
            if self._wanted not in cells:
                raise BadInput(f"{self._source}: no column '{self._wanted}'", f"columns: {', '.join(cells) or 'none'}; or give its number")
            self._at = cells.index(self._wanted)
            return None
        return cells[self._at] or None if self._at < len(cells) else None
