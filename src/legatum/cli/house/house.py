"""``legatum house``"""

import argparse
from pathlib import Path
from typing import TYPE_CHECKING

from legatum.cli.program.common import FOUND, OK, add_common, keep_apart, note, show, with_outside

if TYPE_CHECKING:
    from legatum.views.moves.house import HouseDocument
    from legatum.work.house import House
    from legatum.work.run_context import RunContext


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--all", action="store_true", help="complete moves too")
    parser.add_argument("--html", metavar="DIR", help="an index and a page for each domain, each in one file")
    parser.add_argument(
        "--calendar", metavar="FILE", help="each hold's end and each step that may be done, as iCalendar"
    )
    parser.add_argument("--metrics", metavar="FILE", help="OpenMetrics text for a monitoring agent to read")
    add_common(parser)


def run(args: argparse.Namespace) -> int:
    keep_apart({}, {"--calendar": args.calendar, "--metrics": args.metrics})

    async def work(context: "RunContext") -> int:
        from legatum.net.file import write_whole
        from legatum.views.moves.house import house_calendar, house_document, house_metrics, show_house
        from legatum.work.fleet.undrawn import look_at_campaigns
        from legatum.work.house import look_at_house

        house = look_at_house(context, lambda done, of: note(args, f"moves worked out, to be kept: {done} of {of} …"))
        document = house_document(
            house, args.all, *look_at_campaigns(context, {each.domain: each for each in house.standings})
        )
        if args.calendar:
            write_whole(Path(args.calendar), house_calendar(document).encode())
            note(args, f"calendar: {args.calendar}")
        if args.metrics:
            write_whole(Path(args.metrics), house_metrics(document))
            note(args, f"metrics: {args.metrics}")
        if args.html:
            _write_pages(args, context, house, document)
        show(args, document, lambda screen: show_house(document, screen, bool(args.verbose)))
        return FOUND if document.needs_somebody else OK

    return with_outside(args, work)


def _write_pages(args: argparse.Namespace, context: "RunContext", house: "House", document: "HouseDocument") -> None:
    from legatum.core.moves.runbook import forecast
    from legatum.core.moves.standing import State
    from legatum.core.records.name import name_text
    from legatum.core.running.fault import BadInput
    from legatum.views.moves.history import history_document
    from legatum.views.moves.house_pages import write_house
    from legatum.views.moves.move import move_document
    from legatum.work.history import history_of
    from legatum.work.recall import open_move

    folder = Path(args.html)
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise BadInput(f"{folder}: {error.strerror}", "give a folder that can be written") from None
    shown = [each for each in house.standings if args.all or each.step]
    moves = []
    for each in shown:
        path = house.files[name_text(each.domain)]
        runbook = open_move(context, path)
        slots = list(forecast(runbook, context.journal.outcomes(runbook.id), house.at))
        (history,) = history_of(context, [each.domain])
        by_hand = each.because if each.state == State.PERSON else ""
        moves.append(
            (move_document(runbook, slots, str(path), house.at, each.trouble, by_hand), history_document(history, None))
        )
    count = write_house(folder, document, moves)
    note(args, f"pages: {count} in {folder}")
