"""Where the results of a look at many domains go: standard output, files that a later run goes on with, evidence."""

import argparse
import asyncio
import json
import sys
from collections.abc import Callable, Iterator
from contextlib import ExitStack, contextmanager
from pathlib import Path
from typing import IO, TYPE_CHECKING

from legatum.cli.program.common import note

if TYPE_CHECKING:
    from legatum.core.records.name import Name
    from legatum.views.fleet.lists import FleetCounts, FleetLine

_HEAD = '{"schema"'  # with which each recording begins
_RESULT = '{"schema":"legatum.fleet-line/'
_LONGEST_HEAD = 4096
_BREATH = 0.02  # seconds: what comes in so short a time is written in one go


@contextmanager
def writing(args: argparse.Namespace) -> "Iterator[None]":
    """A full disk is told as such, and of which file."""
    from legatum.net.file import unwritable

    try:
        yield
    except OSError as error:
        if not args.out:
            raise
        raise unwritable(Path(args.out), error) from None


def take_up(args: argparse.Namespace, tally: "FleetCounts") -> "set[Name | str]":
    """The domains that an earlier run has done, counted into the tally. Raises :class:`BadInput`."""
    if not args.resume or not Path(args.out).exists():
        return set()
    import csv

    import msgspec

    from legatum.core.running.fault import BadInput
    from legatum.net.file import write_whole
    from legatum.views.fleet.lists import COLUMNS, FleetLine

    known: set[Name | str] = set()
    path = Path(args.out)
    if path.suffix.lower() == ".csv":
        with path.open(encoding="utf-8", newline="") as file:
            rows = list(csv.reader(file))
        if rows and tuple(rows[0]) != COLUMNS:
            raise BadInput(f"{path}: not a table of this program", "give another --out")
        return {_key(row[0].lstrip("'")) for row in rows[1:] if len(row) == len(COLUMNS)}
    kept = []
    for number, text in enumerate(path.read_bytes().splitlines(keepends=True), 1):
        try:
            line = msgspec.json.decode(text, type=FleetLine)
        except msgspec.DecodeError:
            if not text.endswith(b"\n"):
                break  # the line that was being written when it was interrupted
            raise BadInput(f"{path}:{number}: not a result of this program", "give another --out") from None
        kept.append(text)
        tally.add(line)
        known.add(_key(line.domain))
    write_whole(path, b"".join(kept))
    return known


def _key(text: str) -> "Name | str":
    """By what a domain is known again, in whichever form it is written."""
    from legatum.core.records.name import parse_domain
    from legatum.core.running.fault import BadInput

    try:
        return parse_domain(text)
    except BadInput:
        return text


def sinks(args: argparse.Namespace, stack: ExitStack) -> "Iterator[Callable[[FleetLine], None]]":
    """Where results go: standard output in one form, and the file if there is one."""
    from legatum.core.running.fault import BadInput
    from legatum.views.fleet.lists import csv_head, csv_row, json_line, show_line
    from legatum.views.screen import Screen

    def writer(file: IO[str], text_of: "Callable[[FleetLine], str]") -> "Callable[[FleetLine], None]":
        written = _Written(file)
        stack.callback(written.flush)
        return lambda line: written.add(text_of(line))

    if getattr(args, "calendar", None):
        yield _calendar(args, stack)
    if args.csv:
        sys.stdout.write(csv_head())
        yield writer(sys.stdout, csv_row)
    elif args.json:
        yield writer(sys.stdout, json_line)
    elif not args.quiet:
        screen = Screen()
        yield lambda line: show_line(line, screen)
    if args.out:
        path = Path(args.out)
        table = path.suffix.lower() == ".csv"
        fresh = not (args.resume and path.exists() and path.stat().st_size)
        try:
            if fresh and path.is_file() and not _holds_results(path, csv_head() if table else _RESULT):
                raise BadInput(f"{path} is there already, and holds no results of this program", "give another --out")
            file = stack.enter_context(path.open("w" if fresh else "a", encoding="utf-8", newline=""))
        except OSError as error:
            raise BadInput(f"{path}: {error.strerror}", "give a file that can be written") from None
        if table and fresh:
            file.write(csv_head())
        yield writer(file, csv_row if table else json_line)


def _holds_results(path: Path, begins: str) -> bool:
    """What an earlier run has left may be written over, however little that is."""
    with path.open("rb") as file:
        line = file.readline(_LONGEST_HEAD).strip()
    head = begins.strip().encode()
    return line.startswith(head) or head.startswith(line)


class _Written:
    """A file whose lines are there a moment after they were given to it. What goes wrong in that moment is raised with
    the next line, or in the end."""

    def __init__(self, file: IO[str]) -> None:
        self._file = file
        self._due: asyncio.TimerHandle | None = None
        self._wrong: OSError | None = None

    def add(self, text: str) -> None:
        if self._wrong is not None:
            raise self._wrong
        self._file.write(text)
        if self._due is None:
            self._due = asyncio.get_running_loop().call_later(_BREATH, self._in_time)

    def _in_time(self) -> None:
        try:
            self.flush()
        except OSError as error:
            self._wrong = error

    def flush(self) -> None:
        if self._due is not None:
            self._due.cancel()
            self._due = None
        self._file.flush()


def _calendar(args: argparse.Namespace, stack: ExitStack) -> "Callable[[FleetLine], None]":
    """One for all of them, written in the end: when to lower TTLs, and the switch."""
    from legatum.core.calendar.instant import parse_instant
    from legatum.net.file import require_writable, write_whole
    from legatum.views.look.schedule import switch_calendar
    from legatum.views.look.timetable import EventPart

    require_writable(Path(args.calendar))
    events: list[tuple[str, list[EventPart]]] = []

    def take(line: "FleetLine") -> None:
        told = (
            [EventPart(at=line.lower_by, what=f"lower TTLs, {line.decides} first", todo=True)] if line.lower_by else []
        )
        if line.earliest is not None:
            events.append((line.domain, [*told, EventPart(at=args.switch, what="switch", todo=True)]))

    def write() -> None:
        write_whole(Path(args.calendar), switch_calendar(events, parse_instant(args.switch)).encode())
        note(args, f"calendar: {args.calendar}")

    stack.callback(write)
    return take


@contextmanager
def evidence_file(args: argparse.Namespace) -> "Iterator[Callable[[str], None]]":
    """Takes the evidence of one part after another, where it is wanted; gone on with behind what an earlier run has
    left whole."""
    from legatum.core.running.fault import BadInput
    from legatum.net.file import unwritable

    if not getattr(args, "evidence", None):
        yield lambda text: None
        return
    path = Path(args.evidence)
    resumed = args.resume and path.exists()
    try:
        file = path.open("r+" if resumed else "w", encoding="utf-8", newline="")
    except OSError as error:
        raise BadInput(f"{path}: {error.strerror}", "give a file that can be written") from None
    count = 0
    with file:
        if resumed:
            try:
                file.seek(_whole(file))
            except (ValueError, KeyError, TypeError, AttributeError):
                raise BadInput(f"{path}: not evidence of this program", "give another --evidence") from None
            file.truncate()

        def keep(text: str) -> None:
            nonlocal count
            try:
                file.write(text)
                file.flush()
            except OSError as error:
                raise unwritable(path, error) from None
            count += text.count(_HEAD)

        yield keep
    note(
        args,
        f"evidence of {count}{' more' if resumed else ''} domains: {path}; there is none of those of which "
        "nothing could be said",
    )


def _whole(file: IO[str]) -> int:
    """Where the last recording ends that was written to its end."""
    end, left = 0, 0
    while line := file.readline():
        if not line.endswith("\n"):
            break
        left -= 1
        entry = json.loads(line)
        if "schema" in entry:
            left = int(entry["replies"])
        if left <= 0:
            end = file.tell()
    return end
