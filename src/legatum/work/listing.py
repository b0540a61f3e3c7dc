"""Lists of domains, read as they are worked off: one name a line, or a column of a table; a file or standard input.

Each domain comes once, however often and in whatever spelling it stands there.
"""

import asyncio
import os
import stat
import sys
from collections.abc import AsyncIterator, Iterator
from pathlib import Path

from legatum.core.records.name import Name
from legatum.core.running.fault import BadInput
from legatum.core.text.table import DomainReader, Listed, Row, RowReader

_LONGEST_LINE = 1 << 20


async def read_listing(source: str, column: str | None = None) -> AsyncIterator[Listed]:
    """``source``: a file, ``-`` for standard input, or several domains with line ends between them. ``column``: its
    heading, or its number from 1.

    Raises :class:`BadInput` for a file or column that is not there.
    """
    once = DomainReader(_called(source), column)
    if source == "-" and _can_wait():
        rows = RowReader()
        async for line in _piped():
            if (row := rows.take(line)) is not None and (listed := once.of(row)) is not None:
                yield listed
        if (row := rows.end()) is not None and (listed := once.of(row)) is not None:
            yield listed
        return
    for row in read_rows(source):
        if (listed := once.of(row)) is not None:
            yield listed


def read_domains(source: str) -> list[Name]:
    """All of a file. Raises :class:`BadInput` with file and line for what is no domain."""
    once, domains = DomainReader(source, None), []
    for row in read_rows(source):
        listed = once.of(row)
        if listed is not None and listed.domain is None:
            raise BadInput(listed.fault, "one domain a line, or a table with a column `domain`")
        if listed is not None and listed.domain is not None:
            domains.append(listed.domain)
    return domains


def count_of(source: str, column: str | None) -> int | None:
    """How many domains there are, for the remaining time; None for standard input. Raises :class:`BadInput`."""
    once = DomainReader(_called(source), column)
    return None if source == "-" else sum(once.of(row) is not None for row in read_rows(source))


def read_rows(source: str) -> Iterator[Row]:
    """The rows of a file; ``-``: standard input to its end; or of domains with line ends between them. Raises
    :class:`BadInput`."""
    rows = RowReader()
    try:
        if "\n" in source:
            yield from (row for line in source.splitlines(keepends=True) if (row := rows.take(line)) is not None)
            return
        with open(
            0 if source == "-" else Path(source), encoding="utf-8", errors="replace", closefd=source != "-"
        ) as lines:
            for line in lines:
                if (row := rows.take(line)) is not None:
                    yield row
    except OSError as error:
        raise BadInput(
            f"{source}: {error.strerror}", "give a file with one name a line, or - for standard input"
        ) from None
    if (row := rows.end()) is not None:
        yield row


def _called(source: str) -> str:
    return "the command line" if "\n" in source else source


def _can_wait() -> bool:
    """Standard input is something that one can wait for: a pipe, a socket or a terminal."""
    mode = os.fstat(sys.stdin.fileno()).st_mode
    return stat.S_ISFIFO(mode) or stat.S_ISSOCK(mode) or sys.stdin.isatty()


async def _piped() -> AsyncIterator[str]:
    """Standard input without holding anything else up."""
    reader = asyncio.StreamReader(limit=_LONGEST_LINE)
    await asyncio.get_running_loop().connect_read_pipe(lambda: asyncio.StreamReaderProtocol(reader), sys.stdin)
    while line := await reader.readline():
        yield line.decode("utf-8", "replace")
