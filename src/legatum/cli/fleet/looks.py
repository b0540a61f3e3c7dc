"""``legatum fleet survey / confirm / timetable LIST``"""

import argparse
import os
import sys
import time
from collections.abc import AsyncGenerator, AsyncIterator, Callable, Iterator
from contextlib import ExitStack, aclosing, contextmanager
from pathlib import Path
from typing import IO, TYPE_CHECKING, Any

from legatum.cli.common import FOUND, OK, add_common, keep, note, run_interruptibly, with_outside
from legatum.cli.confirm import add_expected, expected_of
from legatum.cli.fleet.results import fleet_of, telling
from legatum.cli.output import abandoned
from legatum.cli.timetable import moment_of, windows_of
from legatum.cli.wishes import add_windows

if TYPE_CHECKING:
    from legatum.core.observation.expected import Expected
    from legatum.core.records.name import Name
    from legatum.views.fleet import FleetLine, Tally
    from legatum.work.fleet.looks import Fleet
    from legatum.work.outside import Outside

    Source = Callable[[AsyncIterator[Name], Tally], AsyncGenerator[FleetLine, None]]

_REMEMBERED = 100  # domains of which it is noted in one go what they were seen to give
_WORTH_SEVERAL = 200  # domains: fewer are done before a second process has started
_ON_TERMINAL, _ELSEWHERE = 0.5, 10.0  # seconds between two lines of progress


def configure(actions: "argparse._SubParsersAction[Any]") -> None:
    survey = actions.add_parser("survey", help="what is wrong with which domain")
    survey.add_argument("--full", action="store_true", help="ask everything that `legatum survey DOMAIN` asks, but for resolvers and RDAP")
    survey.add_argument(
        "--signed", action="store_true", help="with the state of DNSSEC at each: DS, keys, until when signatures last, at every address"
    )
    confirm = actions.add_parser("confirm", help="one verdict for each domain")
    add_expected(confirm)
    timetable = actions.add_parser("timetable", help="when each has to lower TTLs for a switch, and when all can go together")
    timetable.add_argument(
        "--switch", metavar="INSTANT", required=True, help="a change then: 'Saturday 22:00', 'in 3d', '2031-03-04 22:00'"
    )
    timetable.add_argument("--low-ttl", metavar="DURATION", help="the TTL that is lowered to (default: the house's)")
    timetable.add_argument("--publishing", default="1h", metavar="DURATION", help="how long the registry may take (default 1h)")
    add_windows(timetable)
    timetable.add_argument("--calendar", metavar="FILE", help="what is to be done, as iCalendar")
    for each in (survey, confirm, timetable):
        each.add_argument("list", metavar="LIST", help="a file with one name a line, or a CSV table; - for standard input")
        each.add_argument("--column", metavar="NAME", help="the column of a CSV table, by its heading or its number from 1")
        each.add_argument("--csv", action="store_true", help="results as CSV on standard output")
        each.add_argument("--out", metavar="FILE", help="results into a file: .csv, or JSON lines")
        each.add_argument("--resume", action="store_true", help="go on with --out FILE: what stands there is not asked again")
        each.add_argument("--at-once", type=int, default=64, metavar="N", help="domains looked at side by side")
        each.add_argument("--rate", type=int, metavar="N", help="questions a second to one server, 0 for no limit (default: the settings')")
        each.add_argument(
            "--engine", metavar="PLACE", nargs="?", const="",
            help="share the list among the workers of this scheduler, tls://HOST:PORT (default: that of the settings)",
        )  # fmt: skip
        each.add_argument("--jobs", type=int, metavar="N", help="processes to share the list (default: all processors for long lists)")
        add_common(each)


def run(args: argparse.Namespace) -> int:
    from legatum.core.fault import BadInput
    from legatum.work.listing import count_of

    if args.resume and not args.out:
        raise BadInput("--resume goes on with --out FILE", "say which file")
    if args.json and args.csv:
        raise BadInput("--json and --csv", "choose one of them")
    if not 1 <= args.at_once <= 1000:
        raise BadInput(f"--at-once {args.at_once}", "give a number from 1 to 1000")
    if args.action == "timetable":
        _resolve_switch(args)
    total = count_of(args.list, args.column)
    if args.engine is not None:
        if args.jobs:
            raise BadInput("--engine and --jobs", "the engine has workers of its own: leave --jobs out")
        return with_outside(args, lambda outside: _stream(args, _by_engine(args, outside), total))
    jobs = args.jobs or (os.cpu_count() or 1 if total is None or total >= _WORTH_SEVERAL else 1)
    if jobs > 1 and args.list != "-":
        return run_interruptibly(_stream(args, _by_processes(args, jobs), total))

    async def work(outside: "Outside") -> int:
        return await _stream(args, _by_fleet(args, fleet_of(args, outside)), total)

    return with_outside(args, work)


def _resolve_switch(args: argparse.Namespace) -> None:
    """The instant, and the windows, as every process is to take them."""
    from legatum.core.instant import instant_text

    async def work(outside: "Outside") -> int:
        args.windows = windows_of(args, outside.settings.house)
        args.switch = instant_text(moment_of(args.switch, outside.clock.now(), args.windows.zone))
        return OK

    with_outside(args, work)


def _by_fleet(args: argparse.Namespace, fleet: "Fleet") -> "Source":
    """In this process."""

    async def lines(domains: "AsyncIterator[Name]", tally: "Tally") -> "AsyncGenerator[FleetLine, None]":
        from legatum.work.memory import Note, note_of, our_servers

        told = telling(args, fleet.outside)
        asker, ours, notes, kept = fleet.outside.asker, our_servers(fleet.outside), list[Note](), True
        asked = asker.asked
        if not asker.patience.ipv6:
            tally.left_out = f"anything over IPv6 (ipv6 = false in the settings), {tally.left_out}"
        try:
            async with aclosing(fleet.results(domains)) as results:
                async for result in results:
                    if kept and result.picture is not None:
                        note = note_of(result.picture, result.findings if args.action == "survey" else None, ours)
                        notes += [note] if note is not None else []
                    if len(notes) >= _REMEMBERED:
                        kept = keep(args, fleet.outside, notes)
                        notes.clear()
                    tally.questions, tally.slowed = asker.asked - asked, fleet.pace.slowed
                    yield told(result)
        finally:
            keep(args, fleet.outside, notes)

    return lines


def _by_processes(args: argparse.Namespace, jobs: int) -> "Source":
    """In several processes, each with its share of the rate."""
    from legatum.settings.reading import find_settings, read_settings

    settings = find_settings(args.settings)
    rate = read_settings(settings).network.rate if args.rate is None else args.rate
    command = [sys.executable, "-m", "legatum", "fleet", args.action, "-", "--settings", str(settings), "--json", "-q", "--jobs", "1"]
    command += ["--at-once", str(args.at_once), "--rate", str(max(1, rate // jobs) if rate else 0)]
    if args.action == "survey":
        command += [f"--{each}" for each in ("full", "signed") if getattr(args, each)]
    if args.action == "timetable":
        command += [f"--switch={args.switch}", f"--publishing={args.publishing}", *([f"--low-ttl={args.low_ttl}"] if args.low_ttl else [])]
    if args.action == "confirm":
        command += [f"--{name}={getattr(args, name)}" for name in ("ns", "to", "serial", "since") if getattr(args, name) is not None]
        command += ["--move"] if args.move else []
        command += [f"--{name}={text}" for name in ("ds", "record") for text in getattr(args, name) or ()]

    async def lines(domains: "AsyncIterator[Name]", tally: "Tally") -> "AsyncGenerator[FleetLine, None]":
        import msgspec

        from legatum.core.fault import OutsideFault
        from legatum.core.records.name import name_text
        from legatum.net.processes import Processes, ProcessFailed
        from legatum.views.fleet import FleetDocument, FleetLine

        decoder = msgspec.json.Decoder(FleetLine | FleetDocument)
        try:
            names = (name_text(domain) async for domain in domains)
            async with aclosing(Processes(command, jobs, args.at_once * 2).lines(names)) as texts:
                async for text in texts:
                    line = decoder.decode(text)
                    if isinstance(line, FleetLine):
                        yield line
                    else:
                        tally.join(line)
        except ProcessFailed as error:
            raise OutsideFault(f"fleet: {error}", "with --jobs 1 there is only one process") from None

    return lines


def _by_engine(args: argparse.Namespace, outside: "Outside") -> "Source":
    """On other machines."""

    async def lines(domains: "AsyncIterator[Name]", tally: "Tally") -> "AsyncGenerator[FleetLine, None]":
        import msgspec

        from legatum.cli.fleet.post import PART, look, order_of
        from legatum.net.engine import open_engine
        from legatum.views.fleet import FleetLine
        from legatum.work.afar.hub import engine_hub, fit_workers

        decoder = msgspec.json.Decoder(FleetLine)

        async def wanted() -> "AsyncGenerator[tuple[Name, Expected | None], None]":
            async for domain in domains:
                yield domain, expected_of(args, outside, domain) if args.action == "confirm" else None

        async with open_engine(engine_hub(outside, args.engine)) as engine:
            workers = await fit_workers(engine, lambda text: note(args, text))
            order = order_of(args, outside, len(workers))
            note(args, f"the workers look: {', '.join(sorted(each.name for each in workers))}")
            async with aclosing(engine.in_parts(look, order, wanted(), workers, PART)) as parts:
                async for part in parts:
                    tally.questions += part.asked
                    tally.slowed |= part.slowed
                    keep(args, outside, part.notes)
                    for line in part.lines:
                        yield decoder.decode(line)

    return lines


async def _stream(args: argparse.Namespace, source: "Source", total: int | None) -> int:
    from legatum.views.fleet import LEFT_OUT, Tally, json_line, show_summary
    from legatum.views.screen import Screen

    depth = next((each for each in ("signed", "full") if getattr(args, each, False)), args.action)
    tally, began = Tally(LEFT_OUT[depth], args.windows if args.action == "timetable" else None), time.monotonic()
    with _writing(args), ExitStack() as stack:
        known = _take_up(args, tally)
        sinks = list(_sinks(args, stack))
        progress = _Progress(args, total, tally, begins=tally.domains)
        try:
            async with aclosing(_lines(args, source, tally, known)) as lines:
                async for line in lines:
                    tally.add(line)
                    for sink in sinks:
                        sink(line)
                    progress.tell(len(tally.slowed))
                    if abandoned() and not args.out:
                        break
        finally:
            progress.end()
            if args.out and (total is None or tally.domains < total):
                note(args, f"what is done stands in {args.out}; the same command with --resume goes on from there")
    document = tally.document(time.monotonic() - began)
    if args.json:
        sys.stdout.write(json_line(document))
    else:
        show_summary(document, tally.bad, Screen(sys.stderr if args.csv else None))
    return FOUND if tally.bad else OK


async def _lines(args: argparse.Namespace, source: "Source", tally: "Tally", known: "set[Name | str]") -> "AsyncGenerator[FleetLine, None]":
    """What is not known yet; what stands in the list and is no domain is told as it comes."""
    from legatum.core.printable import clean
    from legatum.views.fleet import failed_line
    from legatum.work.listing import read_listing

    unusable: list[FleetLine] = []

    async def domains() -> "AsyncGenerator[Name, None]":
        async for listed in read_listing(args.list, args.column):
            if (listed.domain or clean(listed.text)) in known:
                continue
            if listed.domain is None:
                unusable.append(failed_line(listed.text, listed.fault))
            else:
                yield listed.domain

    async with aclosing(source(domains(), tally)) as lines:
        async for line in lines:
            while unusable:
                yield unusable.pop(0)
            yield line
    for line in unusable:
        yield line


@contextmanager
def _writing(args: argparse.Namespace) -> "Iterator[None]":
    """A full disk is told as such."""
    from legatum.net.file import unwritable

    try:
        yield
    except OSError as error:
        raise unwritable(Path(args.out or "standard output"), error) from None


def _take_up(args: argparse.Namespace, tally: "Tally") -> "set[Name | str]":
    """The domains that an earlier run has done, counted into the tally. Raises :class:`BadInput`."""
    if not args.resume or not Path(args.out).exists():
        return set()
    import csv

    import msgspec

    from legatum.core.fault import BadInput
    from legatum.net.file import write_whole
    from legatum.views.fleet import COLUMNS, FleetLine

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
    from legatum.core.fault import BadInput
    from legatum.core.records.name import parse_domain

    try:
        return parse_domain(text)
    except BadInput:
        return text


def _sinks(args: argparse.Namespace, stack: ExitStack) -> "Iterator[Callable[[FleetLine], None]]":
    """Where results go: standard output in one form, and the file if there is one."""
    from legatum.core.fault import BadInput
    from legatum.views.fleet import csv_head, csv_row, json_line, show_line
    from legatum.views.screen import Screen

    def writer(file: IO[str], text_of: "Callable[[FleetLine], str]") -> "Callable[[FleetLine], None]":
        def write(line: "FleetLine") -> None:
            file.write(text_of(line))
            file.flush()

        return write

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
            file = stack.enter_context(path.open("w" if fresh else "a", encoding="utf-8", newline=""))
        except OSError as error:
            raise BadInput(f"{path}: {error.strerror}", "give a file that can be written") from None
        if table and fresh:
            file.write(csv_head())
        yield writer(file, csv_row if table else json_line)


def _calendar(args: argparse.Namespace, stack: ExitStack) -> "Callable[[FleetLine], None]":
    """One for all of them, written in the end: when to lower TTLs, and the switch."""
    from legatum.core.instant import parse_instant
    from legatum.net.file import require_writable, write_whole
    from legatum.views.schedule import switch_calendar
    from legatum.views.timetable import EventPart

    require_writable(Path(args.calendar))
    events: list[tuple[str, list[EventPart]]] = []

    def take(line: "FleetLine") -> None:
        told = [EventPart(at=line.lower_by, what=f"lower TTLs, {line.decides} first", todo=True)] if line.lower_by else []
        if line.earliest is not None:
            events.append((line.domain, [*told, EventPart(at=args.switch, what="switch", todo=True)]))

    def write() -> None:
        write_whole(Path(args.calendar), switch_calendar(events, parse_instant(args.switch)).encode())
        note(args, f"calendar: {args.calendar}")

    stack.callback(write)
    return take


class _Progress:
    """Rate and remaining time on standard error: in place on a terminal, a line now and then elsewhere."""

    def __init__(self, args: argparse.Namespace, total: int | None, tally: "Tally", begins: int) -> None:
        self._args, self._total, self._tally, self._begins = args, total, tally, begins
        self._live = sys.stderr.isatty() and not sys.stdout.isatty()
        self._began = self._told = time.monotonic()

    def tell(self, slowed: int) -> None:
        now = time.monotonic()
        if self._args.quiet or now - self._told < (_ON_TERMINAL if self._live else _ELSEWHERE):
            return
        self._told = now
        from legatum.views.fleet import progress_text

        rate = (self._tally.domains - self._begins) / max(now - self._began, 0.001)
        text = progress_text(self._tally.domains, self._total, rate, self._tally.bad, slowed)
        print(f"\r\x1b[K{text}" if self._live else text, end="" if self._live else "\n", file=sys.stderr, flush=True)

    def end(self) -> None:
        if self._live and not self._args.quiet:
            print("\r\x1b[K", end="", file=sys.stderr, flush=True)
