"""Lists and tables as people keep them: a name a line, with remarks, or columns parted by commas, semicolons or tabs
(quotes: RFC 4180)."""

import csv
import re
from dataclasses import dataclass

from legatum.core.records.name import Name, parse_domain
from legatum.core.running.fault import BadInput
from legatum.core.text.seen_names import SeenNames

_SEPARATORS = (",", ";", "\t")
_NONE = "\x1f"
_MARK = "\ufeff"  # what some programs write at the beginning of a file
_ALONE = re.compile(r"[^\s,;\"#\ufeff]++\n?")  # a line that is one cell whichever way one reads it


@dataclass(frozen=True, slots=True)
class Row:
    """``number``: the line on which it begins, from 1."""

    number: int
    cells: tuple[str, ...]


class RowReader:
    """Makes rows of the lines given to it one after the other. Empty lines and such as begin with ``#`` are none; what
    stands after a ``#`` that begins a word belongs to no cell."""

    def __init__(self) -> None:
        self._number = 0
        self._separator = ""
        self._open: list[str] = []  # lines of a row whose quotation marks have not been closed

    def take(self, line: str) -> Row | None:
        """None where the line gives no row, or not yet."""
        self._number += 1
        if not self._open:
            if _ALONE.fullmatch(line):
                return Row(self._number, (line.rstrip("\n"),))
            line = line.removeprefix(_MARK) if self._number == 1 else line
            if not line.strip() or line.lstrip().startswith("#"):
                return None
        self._open.append(line)
        return self._closed(False)

    def end(self) -> Row | None:
        """What is left when there are no more lines."""
        return self._closed(True) if self._open else None

    def _closed(self, at_end: bool) -> Row | None:
        separator = self._separator or _separator(self._open[0])
        if separator != _NONE:
            self._separator = separator
        try:
            cells = next(csv.reader(self._open, delimiter=separator, strict=True))
        except csv.Error as error:
            if "end of data" in str(error) and not at_end:
                return None
            cells = next(csv.reader(self._open[:1], delimiter=separator))
        row = Row(self._number - len(self._open) + 1, tuple(_without_remark(cell) for cell in cells))
        self._open = []
        return row


def _separator(line: str) -> str:
    """The one that stands there most often; what no text holds where there is none."""
    line = _without_remark(line)
    return max(_SEPARATORS, key=line.count) if any(each in line for each in _SEPARATORS) else _NONE


def _without_remark(text: str) -> str:
    for at, character in enumerate(text):
        if character == "#" and (at == 0 or text[at - 1].isspace()):
            return text[:at].strip()
    return text.strip()


class Column:
    """One column: chosen by its heading, or by its number from 1; without a choice the one that is headed *domain*, or
    the first."""

    _HEADINGS = ("domain", "domains", "domain name", "name", "zone")

    def __init__(self, wanted: str | None, source: str) -> None:
        self._wanted, self._source = wanted, source
        self._at = int(wanted) - 1 if wanted and wanted.isdecimal() and int(wanted) > 0 else None
        self._begun = False
        self.headings: tuple[str, ...] = ()

    @property
    def beside(self) -> tuple[str, ...]:
        """The headings of the other columns, in lower case; of all columns they are ``headings``, empty where there are
        none."""
        return tuple(each for at, each in enumerate(self.headings) if at != self._at)

    @property
    def words(self) -> str:
        """Which column it is, where there are several."""
        return f", column {self.headings[self._at or 0]}" if len(self.headings) > 1 else ""

    def of(self, row: Row) -> str:
        """The cell, empty for a heading or where the row does not reach so far. Raises :class:`BadInput` where there is
        no such column."""
        first, self._begun = not self._begun, True
        if first and self._is_heading(row):
            self.headings = tuple(cell.casefold() for cell in row.cells)
            return ""
        assert self._at is not None
        return row.cells[self._at] if self._at < len(row.cells) else ""

    def _is_heading(self, row: Row) -> bool:
        headings = [cell.casefold() for cell in row.cells]
        if self._at is not None:
            return self._at < len(headings) and headings[self._at] in self._HEADINGS
        if self._wanted is None:
            self._at = next((headings.index(each) for each in self._HEADINGS if each in headings), None)
            if self._at is not None:
                return True
            self._at = 0
            return False
        if self._wanted.casefold() not in headings:
            known = ", ".join(row.cells)
            raise BadInput(
                f"{self._source}:{row.number}: no column '{self._wanted}'", f"columns: {known}; or give its number"
            )
        self._at = headings.index(self._wanted.casefold())
        return True


@dataclass(frozen=True, slots=True)
class Listed:
    """A domain of a list. ``text``: as it stands there; ``fault``: file, line and reason where that is no domain."""

    text: str
    domain: Name | None
    fault: str = ""


class DomainReader:
    """Takes the domain out of a row, the first time that it comes."""

    def __init__(self, source: str, column: str | None) -> None:
        self._source = source
        self._column = Column(column, source)
        self._once = SeenNames()

    def of(self, row: Row) -> Listed | None:
        text = self._column.of(row)
        if not text:
            return None
        try:
            listed = Listed(text, parse_domain(text))
        except BadInput as fault:
            listed = Listed(text, None, f"{self._source}:{row.number}{self._column.words}: {fault.message}")
        return listed if self._once.first(listed.domain or listed.text.encode("utf-8", "surrogateescape")) else None
