"""``legatum fleet survey / confirm / timetable LIST``"""

import argparse
import importlib
import os
import sys
import threading
import time
from collections.abc import AsyncGenerator, AsyncIterator, Callable
from contextlib import ExitStack, aclosing
from pathlib import Path
from typing import TYPE_CHECKING, Any

from legatum.cli.fleet.files import evidence_file, sinks, take_up, writing
from legatum.cli.fleet.results import depth_of, fleet_of, telling
from legatum.cli.looks.confirm import add_expected, expected_of
from legatum.cli.looks.timetable import moment_of, windows_of
from legatum.cli.moves.wishes import add_windows
from legatum.cli.program.common import FOUND, OK, add_common, keep, keep_apart, note, run_interruptibly, with_outside
from legatum.cli.program.output import abandoned, take_over
from legatum.cli.program.parser import number

if TYPE_CHECKING:
    from legatum.core.agreement.expected import Expected
    from legatum.core.records.name import Name
    from legatum.views.fleet.lists import FleetCounts, FleetLine
    from legatum.work.fleet.looks import Fleet, Result
    from legatum.work.run_context import RunContext

    Source = Callable[[AsyncIterator[Name], FleetCounts, Callable[[str], None]], AsyncGenerator[FleetLine, None]]

_REMEMBERED = 100  # domains of which it is noted in one go what they were seen to give
_WORTH_SEVERAL = 200  # domains: fewer are done before a second process has started
_NEEDED_BY_ALL = (
    "net.asking.walk",
    "views.fleet.lists",
    "work.fleet.looks",
    "work.memory",
)  # processes: loaded once, before they are made
# domains handed to a worker in one go: each part costs the scheduler some milliseconds
_SMALLEST_PART, _LARGEST_PART = 50, 200
_PARTS_EACH = 8  # at least, for each thread, where the list is long enough
_ON_TERMINAL, _ELSEWHERE = 0.5, 10.0  # seconds between two lines of progress


def configure(actions: "argparse._SubParsersAction[Any]") -> None:
    survey = actions.add_parser("survey", help="what is wrong with which domain")
    survey.add_argument(
        "--full",
        action="store_true",
        help="ask everything that `legatum survey DOMAIN` asks, but for resolvers and RDAP",
    )
    survey.add_argument(
        "--signed",
        action="store_true",
        help="with the state of DNSSEC at each: DS, keys, until when signatures last, at every address",
    )
    survey.add_argument(
        "--evidence",
        metavar="FILE",
        help="what each survey rests on, to be judged again with survey --from",
    )
    confirm = actions.add_parser("confirm", help="one verdict for each domain")
    add_expected(confirm)
    timetable = actions.add_parser(
        "timetable", help="when each has to lower TTLs for a switch, and when all can go together"
    )
    timetable.add_argument(
        "--switch",
        metavar="INSTANT",
        required=True,
        help="a change then: 'Saturday 22:00', 'in 3d', '2031-03-04 22:00'",
    )
    timetable.add_argument("--low-ttl", metavar="DURATION", help="the TTL that is lowered to (default: the house's)")
    timetable.add_argument(
        "--publishing", default="1h", metavar="DURATION", help="how long the registry may take (default 1h)"
    )
    add_windows(timetable)
    timetable.add_argument("--calendar", metavar="FILE", help="what is to be done, as iCalendar")
    for each in (survey, confirm, timetable):
        each.add_argument(
            "list",
            metavar="LIST",
            nargs="+",
            help="a file with one name a line, or a CSV table; - for standard input; or several domains",
        )
        each.add_argument(
            "--column", metavar="NAME", help="the column of a CSV table, by its heading or its number from 1"
        )
        each.add_argument("--csv", action="store_true", help="results as CSV on standard output")
        each.add_argument("--out", metavar="FILE", help="results into a file: .csv, or JSON lines")
        each.add_argument(
            "--resume", action="store_true", help="go on with --out FILE: what stands there is not asked again"
        )
        each.add_argument(
            "--side-by-side", type=number(1, 1000), default=64, metavar="N", help="domains looked at side by side"
        )
        each.add_argument(
            "--rate",
            type=number(0, 1_000_000),
            metavar="N",
            help="questions a second to one server, 0 for no limit (default: the settings')",
        )
        each.add_argument(
            "--engine", metavar="PLACE", nargs="?", const="",
            help="share the list among the workers of this scheduler, tls://HOST:PORT (default: that of the settings)",
        )  # fmt: skip
        each.add_argument(
            "--jobs",
            type=number(1, 256),
            metavar="N",
            help="processes to share the list (default: all processors for long lists)",
        )
        add_common(each)


def _list_of(words: list[str]) -> str:
    """As :mod:`legatum.work.listing` has it. Raises :class:`BadInput` for several files."""
    from legatum.core.running.fault import BadInput

    if len(words) == 1:
        return words[0]
    if file := next((each for each in words if each == "-" or Path(each).is_file()), None):
        raise BadInput(f"{file} is a list, and not the only word", "name one list, or several domains")
    return "".join(f"{each}\n" for each in words)


def run(args: argparse.Namespace) -> int:
    from legatum.core.running.fault import BadInput
    from legatum.work.listing import count_of

    if args.resume and not args.out:
        raise BadInput("--resume goes on with --out FILE", "say which file")
    if getattr(args, "evidence", None) and (args.jobs or 1) > 1:
        raise BadInput("--evidence and --jobs", "one process keeps it; workers do with --engine: leave --jobs out")
    if args.json and args.csv:
        raise BadInput("--json and --csv", "choose one of them")
    aside = {"--evidence": getattr(args, "evidence", None), "--calendar": getattr(args, "calendar", None)}
    args.list = _list_of(args.list)
    keep_apart({"the list": args.list}, {"--out": args.out, **aside})
    if args.action == "timetable":
        _resolve_switch(args)
    total = count_of(args.list, args.column)
    if total == 0:
        raise BadInput(
            f"{args.list}: no domain in it", "give a file with one name a line, or a table with a column `domain`"
        )
    if args.engine is not None:
        if args.jobs:
            raise BadInput("--engine and --jobs", "the engine has workers of its own: leave --jobs out")
        return with_outside(args, lambda context: _stream(args, _by_engine(args, context, total), total))
    alone = bool(getattr(args, "evidence", None))
    jobs = args.jobs or (os.cpu_count() or 1 if not alone and (total is None or total >= _WORTH_SEVERAL) else 1)
    if (
        jobs > 1 and args.list != "-" and threading.active_count() == 1
    ):  # a copy of what has threads may wait for one that it lacks
        return run_interruptibly(_stream(args, _by_processes(args, jobs), total))

    async def work(context: "RunContext") -> int:
        return await _stream(args, _by_fleet(args, fleet_of(args, context)), total)

    return with_outside(args, work)


def _resolve_switch(args: argparse.Namespace) -> None:
    """The instant, and the windows, as every process is to take them."""
    from legatum.core.calendar.instant import instant_text

    async def work(context: "RunContext") -> int:
        args.windows = windows_of(args, context.settings.house)
        args.switch = instant_text(moment_of(args.switch, context.clock.now(), args.windows.zone))
        return OK

    with_outside(args, work)


def _by_fleet(args: argparse.Namespace, fleet: "Fleet") -> "Source":
    """In this process."""

    async def lines(
        domains: "AsyncIterator[Name]", tally: "FleetCounts", keep_evidence: "Callable[[str], None]"
    ) -> "AsyncGenerator[FleetLine, None]":
        from legatum.work.memory import Note, held_copies, note_of, our_servers

        told = telling(args, fleet.context, lambda domain: held_copies(fleet.context, domain))
        asker, ours, notes, kept = fleet.context.asker, our_servers(fleet.context), list[Note](), True
        asked = asker.asked
        usual = tally.left_out
        try:
            async with aclosing(_looked_at(args, fleet, domains, keep_evidence)) as results:
                async for result in results:
                    if kept and result.observation is not None:
                        note = note_of(result.observation, result.findings if args.action == "survey" else None, ours)
                        notes += [note] if note is not None else []
                    if len(notes) >= _REMEMBERED:
                        kept = keep(args, fleet.context, notes)
                        notes.clear()
                    tally.left_out = ", ".join((*asker.patience.reach.left_out, usual))
                    tally.questions, tally.slowed = asker.asked - asked, fleet.pace.slowed
                    yield told(result)
        finally:
            keep(args, fleet.context, notes)

    return lines


async def _looked_at(
    args: argparse.Namespace, fleet: "Fleet", domains: "AsyncIterator[Name]", keep_evidence: "Callable[[str], None]"
) -> "AsyncGenerator[Result, None]":
    """What it rests on is kept, where that is wanted, before a result is told."""
    if not getattr(args, "evidence", None):
        async with aclosing(fleet.results(domains)) as results:
            async for result in results:
                yield result
        return
    from legatum.views.fleet.lists import LEFT_OUT
    from legatum.work.fleet.proven import with_evidence

    depth = depth_of(args)
    async with aclosing(with_evidence(fleet, domains, depth, LEFT_OUT[depth])) as parts:
        async for part, text in parts:
            keep_evidence(text)
            for result in part:
                yield result


def _by_processes(args: argparse.Namespace, jobs: int) -> "Source":
    """In several processes, each with its share of the rate."""
    from legatum.cli.program.main import told
    from legatum.core.running.fault import Fault, OutsideFault
    from legatum.net.processes import Processes, ProcessFailed
    from legatum.settings.assumed import assumed_text, state_folder
    from legatum.settings.reading import find_settings, read_settings
    from legatum.work.run_context import reach_of, refuse_cut_off

    for each in _NEEDED_BY_ALL:
        importlib.import_module(f"legatum.{each}")
    path = find_settings(args.settings)
    read = read_settings(path)
    if path is None:
        note(args, assumed_text(read, state_folder()))
    refuse_cut_off(reach_of(read))  # once, and not by each process
    rate = read.network.rate if args.rate is None else args.rate
    alone = {"list": "-", "column": None, "jobs": 1, "shared": True, "rate": max(1, rate // jobs) if rate else 0}
    silent = {"json": True, "csv": False, "quiet": True, "out": None, "resume": False, "calendar": None}
    share = argparse.Namespace(**{**vars(args), **alone, **silent})

    def work() -> int:
        take_over()
        try:
            return run(share)
        except Fault as fault:
            return told(fault, ())

    processes = Processes(work, jobs, args.side_by_side * 2)

    async def lines(
        domains: "AsyncIterator[Name]", tally: "FleetCounts", keep_evidence: "Callable[[str], None]"
    ) -> "AsyncGenerator[FleetLine, None]":
        import msgspec

        from legatum.core.records.name import name_text
        from legatum.views.fleet.lists import FleetDocument, FleetLine

        decoder = msgspec.json.Decoder(FleetLine | FleetDocument)
        try:
            names = (name_text(domain) async for domain in domains)
            async with aclosing(processes.lines(names)) as texts:
                async for text in texts:
                    line = decoder.decode(text)
                    if isinstance(line, FleetLine):
                        yield line
                    else:
                        tally.join(line)
        except ProcessFailed as error:
            raise OutsideFault(f"fleet: {error}", "with --jobs 1 there is only one process") from None

    return lines


def _by_engine(args: argparse.Namespace, context: "RunContext", total: int | None) -> "Source":
    """On other machines: in parts, so large that each of their threads has some of them."""

    async def lines(
        domains: "AsyncIterator[Name]", tally: "FleetCounts", keep_evidence: "Callable[[str], None]"
    ) -> "AsyncGenerator[FleetLine, None]":
        import msgspec

        from legatum.cli.fleet.post import look, order_of
        from legatum.net.engine import open_engine
        from legatum.views.fleet.lists import FleetLine
        from legatum.work.afar.hub import engine_hub, fit_workers

        decoder = msgspec.json.Decoder(FleetLine)

        async def wanted() -> "AsyncGenerator[tuple[Name, Expected | None], None]":
            async for domain in domains:
                yield domain, expected_of(args, context, domain) if args.action == "confirm" else None

        async with open_engine(engine_hub(context, args.engine)) as engine:
            workers = await fit_workers(engine, lambda text: note(args, text))
            order = order_of(args, context, len(workers))
            note(args, f"the workers look: {', '.join(sorted(each.name for each in workers))}")
            fair = (total or 0) // (_PARTS_EACH * sum(each.threads for each in workers))
            parts = engine.in_parts(look, order, wanted(), workers, min(max(fair, _SMALLEST_PART), _LARGEST_PART))
            async with aclosing(parts):
                async for part in parts:
                    keep_evidence(part.evidence)
                    tally.questions += part.asked
                    tally.slowed |= part.slowed
                    keep(args, context, part.notes)
                    for line in part.lines:
                        yield decoder.decode(line)

    return lines


async def _stream(args: argparse.Namespace, source: "Source", total: int | None) -> int:
    from legatum.core.running.fault import BadInput
    from legatum.views.fleet.lists import LEFT_OUT, FleetCounts, json_text, show_summary
    from legatum.views.screen import Screen

    left_out = LEFT_OUT[depth_of(args) if args.action == "survey" else args.action]
    tally, began = FleetCounts(left_out, args.windows if args.action == "timetable" else None), time.monotonic()
    with writing(args), ExitStack() as stack:
        known = take_up(args, tally)
        into, keep_evidence = list(sinks(args, stack)), stack.enter_context(evidence_file(args))
        progress = _Progress(args, total, tally, begins=tally.domains)
        try:
            async with aclosing(_lines(args, source, tally, known, keep_evidence)) as lines:
                async for line in lines:
                    tally.add(line)
                    for sink in into:
                        sink(line)
                    progress.tell(len(tally.slowed))
                    if abandoned() and not args.out:
                        break
        finally:
            progress.end()
            if args.out and (total is None or tally.domains < total):
                note(args, f"what is done stands in {args.out}; the same command with --resume goes on from there")
    if total is None and not tally.domains and not getattr(args, "shared", False):
        raise BadInput(f"{args.list}: no domain in it", "give one name a line, or a table with a column `domain`")
    document = tally.document(time.monotonic() - began)
    if args.json:
        sys.stdout.writelines((json_text(document), "\n"))  # it names every domain of the list, once for each finding
    else:
        show_summary(document, tally.bad, Screen(sys.stderr if args.csv else None))
    return FOUND if tally.bad else OK


async def _lines(
    args: argparse.Namespace,
    source: "Source",
    tally: "FleetCounts",
    known: "set[Name | str]",
    keep_evidence: "Callable[[str], None]",
) -> "AsyncGenerator[FleetLine, None]":
    """What is not known yet; what stands in the list and is no domain is told as it comes."""
    from legatum.core.text.printable import clean
    from legatum.views.fleet.lists import failed_line
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

    async with aclosing(source(domains(), tally, keep_evidence)) as lines:
        async for line in lines:
            while unusable:
                yield unusable.pop(0)
            yield line
    for line in unusable:
        yield line


class _Progress:
    """Rate and remaining time on standard error: in place on a terminal, a line now and then elsewhere."""

    def __init__(self, args: argparse.Namespace, total: int | None, tally: "FleetCounts", begins: int) -> None:
        self._args, self._total, self._tally, self._begins = args, total, tally, begins
        self._live = sys.stderr.isatty() and not sys.stdout.isatty()
        self._began = self._told = time.monotonic()

    def tell(self, slowed: int) -> None:
        now = time.monotonic()
        if self._args.quiet or now - self._told < (_ON_TERMINAL if self._live else _ELSEWHERE):
            return
        self._told = now
        from legatum.views.fleet.lists import progress_text

        rate = (self._tally.domains - self._begins) / max(now - self._began, 0.001)
        text = progress_text(self._tally.domains, self._total, rate, self._tally.bad, slowed)
        print(f"\r\x1b[K{text}" if self._live else text, end="" if self._live else "\n", file=sys.stderr, flush=True)

    def end(self) -> None:
        if self._live and not self._args.quiet:
            print("\r\x1b[K", end="", file=sys.stderr, flush=True)
