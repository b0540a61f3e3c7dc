"""``legatum watch DOMAIN``"""

import argparse
import asyncio
import sys
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from legatum.cli.looks.everywhere import add_viewpoints, wants_viewpoints
from legatum.cli.program.common import FOUND, OK, add_common, note, with_outside
from legatum.cli.program.output import abandoned

if TYPE_CHECKING:
    from legatum.core.agreement.progress import ChangeProgress, WatchedChange
    from legatum.core.records.name import Name
    from legatum.work.run_context import RunContext
    from legatum.work.verdicts.watch import Watch


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("domain", metavar="DOMAIN")
    wanted = parser.add_mutually_exclusive_group()
    wanted.add_argument("--ns", metavar="NAME,…", help="the NS set that everybody should come to have")
    wanted.add_argument("--to", metavar="PROVIDER", help="the NS set of this provider of the settings")
    wanted.add_argument("--move", action="store_true", help="what the domain's move leads to")
    wanted.add_argument(
        "--record", action="append", metavar="'NAME TYPE DATA'", help="an RRset that everybody should come to have"
    )
    parser.add_argument(
        "--since",
        metavar="WHEN",
        help="when every server had the change: RFC 3339, or how long ago (5m); otherwise that is watched",
    )
    parser.add_argument("--every", metavar="DURATION", help="how often servers are asked (default: the house's poll)")
    parser.add_argument(
        "--asked-every", default="5m", metavar="DURATION", help="for the forecast: how often a typical cache is asked"
    )
    parser.add_argument(
        "--patience", metavar="DURATION", help="how long after the last copy should have run out (default: the house's)"
    )
    parser.add_argument(
        "--curve",
        action="append",
        default=[],
        metavar="FILE",
        help="write the curve at the end: .png, .svg, .pdf or .csv",
    )
    add_viewpoints(parser)
    add_common(parser)


def run(args: argparse.Namespace) -> int:
    from legatum.core.records.name import parse_domain
    from legatum.core.running.fault import BadInput

    domain = parse_domain(args.domain)
    wrong = next(
        (each for each in args.curve if Path(each).suffix.lower() not in (".png", ".svg", ".pdf", ".csv")), None
    )
    if wrong:
        raise BadInput(f"{wrong}: a curve is written as .png, .svg, .pdf or .csv", "give the file such an ending")
    if not (args.ns or args.to or args.move or args.record):
        raise BadInput("watch for what?", "say --ns, --to, --move or --record")

    async def work(context: "RunContext") -> int:
        from legatum.core.agreement.progress import ChangeProgress
        from legatum.core.calendar.duration import parse_duration
        from legatum.core.calendar.instant import parse_instant_or_age
        from legatum.work.verdicts.watch import Watch, held_of

        change, since = _change(args, context, domain)
        since = parse_instant_or_age(args.since, context.clock.now()) if args.since else since
        progress = ChangeProgress(
            change, 1 / max(1, parse_duration(args.asked_every)), since, held_of(context, domain, change)
        )
        house = context.settings.house
        poll = max(1, parse_duration(args.every or house.poll))
        patience = parse_duration(args.patience or house.patience)
        try:
            if wants_viewpoints(args):
                await _follow_everywhere(args, context, domain, progress, poll, patience)
            else:
                await _follow(args, Watch(context, domain, progress), poll, patience)
        finally:
            _finish(args, progress)
        return OK if progress.looks[-1].complete else FOUND

    return with_outside(args, work)


def _change(args: argparse.Namespace, context: "RunContext", domain: "Name") -> "tuple[WatchedChange, float | None]":
    from legatum.core.agreement.expected import parse_records
    from legatum.core.records.name import typed_host
    from legatum.core.running.fault import BadInput
    from legatum.work.moves.expectation import goal_of_move
    from legatum.work.verdicts.watch import delegation_change, record_change

    if args.record:
        records = parse_records(args.record, domain)
        if len(records) != 1:
            raise BadInput("watch follows one RRset", "give records of one name and type")
        return record_change(records[0]), None
    if args.move:
        return delegation_change(domain, goal_of_move(context, domain)), None
    names = (
        context.provider(args.to).servers
        if args.to
        else [typed_host(text.strip(), domain) for text in args.ns.split(",")]
    )
    return delegation_change(domain, names), None


async def _follow_everywhere(
    args: argparse.Namespace,
    context: "RunContext",
    domain: "Name",
    progress: "ChangeProgress",
    poll: float,
    patience: float,
) -> None:
    from legatum.core.agreement.progress import State, Told
    from legatum.core.running.fault import Fault
    from legatum.work.afar.remote_tasks import watch_there
    from legatum.work.afar.viewpoints import named_viewpoints, open_lookouts
    from legatum.work.verdicts.watch import Watch

    names = named_viewpoints(context, () if args.from_everywhere else args.from_viewpoint)
    async with open_lookouts(context, names) as lookouts:

        async def elsewhere() -> list[Told]:
            found: list[Told] = []
            for place, told in (await lookouts.look(watch_there, domain, progress.change, ())).items():
                if isinstance(told, Fault):
                    found.append(Told("viewpoint", place, State.NOTHING, told.message, None))
                else:
                    found += [replace(each, who=f"{each.who} from {place}") for each in told]
            return found

        await _follow(args, Watch(context, domain, progress, elsewhere=elsewhere), poll, patience)


async def _follow(args: argparse.Namespace, watch: "Watch", poll: float, patience: float) -> None:
    from legatum.views.look.watch import LiveView, line_text, show_lines, watch_document

    if not args.json and sys.stdout.isatty():
        with LiveView() as view:
            async for _ in watch.looks(poll, patience):
                view.show(watch.progress)
                await asyncio.sleep(0)
        return
    async for look, changed in watch.looks(poll, patience):
        if args.json:
            print(line_text(watch_document(watch.progress, look, changed)), flush=True)
        else:
            show_lines(watch.progress, changed, sys.stdout.write)
            sys.stdout.flush()
        if abandoned():
            return


def _finish(args: argparse.Namespace, progress: "ChangeProgress") -> None:
    """The state so far, however it ended."""
    from legatum.views.look.watch import verdict_lines, write_curve
    from legatum.views.screen import Screen

    if not progress.looks:
        return
    if not args.json and not sys.stdout.isatty():
        Screen().verdict(*verdict_lines(progress))
    for name in args.curve:
        write_curve(Path(name), progress)
        note(args, f"curve: {name}")
