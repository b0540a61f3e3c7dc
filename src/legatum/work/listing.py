"""Lists of domains: one name a line, or a column of a CSV table; a file or standard input. Read as they are worked off."""

import csv
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import IO

from legatum.core.fault import BadInput


def open_listing(source: str) -> IO[str]:
    """``-`` is standard input. Raises :class:`BadInput`."""
    if source == "-":
        return sys.stdin
    try:
        return Path(source).open(encoding="utf-8-sig", newline="", errors="replace")
    except OSError as error:
        raise BadInput(f"{source}: {error.strerror}", "give a file with one name a line, or - for standard input") from None


def entries(lines: IO[str], column: str | None, source: str) -> Iterator[str]:
    """The names, as they stand there; empty lines and those that begin with # are passed over.

    ``column``: its heading, or its number from 1. Raises :class:`BadInput` where there is no such column.
    """
    if column is None:
        for line in lines:
            text = line.strip()
            if text and not text.startswith("#"):
                yield text
        return
    table = csv.reader(lines)
    at = _column(table, column, source)
    for row in table:
        text = row[at].strip() if at < len(row) else ""
        if text:
            yield text


def _column(table: "Iterator[list[str]]", column: str, source: str) -> int:
    if column.isdecimal() and int(column) > 0:
        return int(column) - 1
    heads = [head.strip() for head in next(table, [])]
    if column not in heads:
        raise BadInput(f"{source}: no column {column!r}", f"columns: {', '.join(heads) or 'none'}; or give its number")
    return heads.index(column)


def count_of(source: str, column: str | None) -> int | None:
    """How many names there are, for the remaining time; None for standard input."""
    if source == "-":
        return None
    with open_listing(source) as lines:
        return sum(1 for _ in entries(lines, column, source))
