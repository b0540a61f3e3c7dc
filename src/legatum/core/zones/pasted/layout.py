"""Pasted text as rows of cells, whatever stands between them: tabs, bars, commas, semicolons, several spaces, one
space, or a line each."""

import csv
import io
import re
from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from typing import NamedTuple

from legatum.core.zones.pasted.words import is_type, role_of

_SAME = str.maketrans(
    {
        "\u00a0": " ",
        "\u2007": " ",
        "\u202f": " ",
        "“": '"',
        "”": '"',
        "„": '"',
        "\u200b": "",
        "\ufeff": "",
        "\u00ad": "",
    }
)
_FIELD = re.compile(r"\s*([A-Za-z][A-Za-z /()-]{1,24}?)\s*[:=]\s*(.*)")
_RULE = re.compile(r"[\s|:+=_-]*[-=_][\s|:+=_-]*")
_PERIODS = range(3, 9)
_QUOTED = re.compile(r'"(?:[^"\\]|\\.)*"|\S+')
_WIDE = re.compile(r"\s{2,}")


class Row(NamedTuple):
    """``line``: its first one, counted from 1; ``text``: as it was pasted."""

    line: int
    text: str
    cells: tuple[str, ...]


class Layout(NamedTuple):
    """``words``: how it was read, for people; ``loose``: a value of several words is several cells."""

    words: str
    rows: tuple[Row, ...]
    loose: bool = False


def layout_of(text: str) -> Layout:
    """The one by which most lines have just one record type among several cells; without rows where none does."""
    lines = [
        (number, line) for number, line in enumerate(_unquoted(text.translate(_SAME).splitlines()), 1) if line.strip()
    ]
    if (blocks := _blocks(lines)) is not None:
        return blocks
    lines = [each for each in lines if not _RULE.fullmatch(each[1])]
    tried: list[Layout] = [
        Layout("tabs between the columns", _split(lines, lambda line: line.split("\t"))),
        Layout("bars between the columns", _split(lines, lambda line: line.strip().strip("|").split("|"))),
        *(
            Layout(f"{name} between the columns", _separated(lines, mark))
            for mark, name in ((",", "commas"), (";", "semicolons"))
        ),
        Layout("spaces between the columns", _split(lines, lambda line: _WIDE.split(line.strip()))),
        Layout("one space between the words", _split(lines, _QUOTED.findall), loose=True),
        *(Layout(f"{period} lines a record", _upright(lines, period)) for period in _PERIODS),
    ]
    best = max(tried, key=lambda each: _likeness(each.rows))
    return best if _likeness(best.rows) > 0 else Layout("", ())


def _likeness(rows: Sequence[Row]) -> float:
    """Of all rows but a heading those that look like records: a type where most have theirs, just one, and something
    beside."""
    body = [row for row in rows[:1] if not is_heading(row)] + list(rows[1:])
    types = [tuple(at for at, cell in enumerate(row.cells) if is_type(cell)) for row in body]
    columns = Counter(at for each in types for at in each)
    if not columns:
        return 0.0
    (usual, _), *_ = columns.most_common(1)
    like = sum(
        (len(each) == 1) + 0.5 * (usual in each) for each, row in zip(types, body, strict=True) if len(row.cells) > 1
    )
    even = len(rows) - len({len(row.cells) for row in rows})  # of columns that are as many in each row
    return like / len(body) + 0.001 * even / len(rows)


def is_heading(row: Row) -> bool:
    """Names of columns, and no record."""
    roles = {role for cell in row.cells if (role := role_of(cell))}
    return len(roles) >= 2 and "type" in roles and not any(map(is_type, row.cells))


def _unquoted(lines: list[str]) -> list[str]:
    """Without the marks of a mail that answers another."""
    full = [line for line in lines if line.strip()]
    if full and sum(line.lstrip().startswith(">") for line in full) > 0.8 * len(full):
        return [re.sub(r"^\s*(?:>\s?)+", "", line) for line in lines]
    return lines


def _split(lines: Sequence[tuple[int, str]], split: Callable[[str], Sequence[str]]) -> tuple[Row, ...]:
    return tuple(Row(number, line.strip(), tuple(cell.strip() for cell in split(line))) for number, line in lines)


def _separated(lines: Sequence[tuple[int, str]], mark: str) -> tuple[Row, ...]:
    """By the rules of RFC 4180; a cell in quotation marks may hold the mark, and several lines."""
    text = "\n".join(line for _, line in lines)
    found, at = [], 0
    reader = csv.reader(io.StringIO(text), delimiter=mark, skipinitialspace=True, strict=False)
    try:
        for cells in reader:
            number, last = lines[at][0], reader.line_num
            whole = " ".join(line.strip() for _, line in lines[at:last])
            at = last
            found.append(Row(number, whole, tuple(cell.strip() for cell in cells)))
    except (csv.Error, IndexError):
        return ()
    return tuple(found)


def _upright(lines: Sequence[tuple[int, str]], period: int) -> tuple[Row, ...]:
    """Each cell on a line of its own, so many a record."""
    if len(lines) < period or len(lines) % period:
        return ()
    groups = [lines[at : at + period] for at in range(0, len(lines), period)]
    return tuple(
        Row(group[0][0], " / ".join(line.strip() for _, line in group), tuple(line.strip() for _, line in group))
        for group in groups
    )


def _blocks(lines: Sequence[tuple[int, str]]) -> Layout | None:
    """Lines such as ``Type: A``; a record ends where a field comes again."""
    fields = [
        (number, match[1].strip(), match[2].strip())
        for number, line in lines
        if (match := _FIELD.fullmatch(line.strip()))
    ]
    named = [each for each in fields if role_of(each[1])]
    if len(named) < 2 or len(named) < 0.6 * len(lines) or not any(role_of(key) == "type" for _, key, _ in named):
        return None
    roles = tuple(dict.fromkeys(role_of(key) for _, key, _ in named))
    rows = [Row(named[0][0], "", roles)]
    for number, cells in _records(named):
        said = " / ".join(f"{key}: {value}" for key, value in cells.values())
        rows.append(Row(number, said, tuple(cells[role][1] if role in cells else "" for role in roles)))
    return Layout("a field a line", tuple(rows))


def _records(fields: Sequence[tuple[int, str, str]]) -> Iterator[tuple[int, dict[str, tuple[str, str]]]]:
    first, record = 0, dict[str, tuple[str, str]]()
    for number, key, value in fields:
        if role_of(key) in record:
            yield first, record
            record = {}
        if not record:
            first = number
        record[role_of(key)] = (key, value)
    if record:
        yield first, record
