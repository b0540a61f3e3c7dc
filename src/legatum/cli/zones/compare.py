"""``legatum compare LEFT RIGHT``"""

import argparse
import sys
from functools import partial
from typing import TYPE_CHECKING

from legatum.cli.looks.everywhere import add_viewpoints, look_everywhere, wants_viewpoints
from legatum.cli.program.common import FOUND, OK, add_common, keep_apart, note, show, with_outside
from legatum.cli.program.progress import bar

if TYPE_CHECKING:
    from legatum.core.house.everywhere import Everywhere
    from legatum.core.observation.answers import AnswersComparison
    from legatum.views.zones.compare import CompareDocument
    from legatum.work.run_context import RunContext
    from legatum.work.zones.compare import ContentsComparison


def configure(parser: argparse.ArgumentParser) -> None:
    places = "a provider of the settings, a master file, or server:ADDRESS"
    parser.add_argument("left", metavar="LEFT", help=f"{places}; with --views the domain")
    parser.add_argument("right", metavar="RIGHT", nargs="?", help=places)
    parser.add_argument("more", nargs="*", metavar="PLACE", help="more places, each beside LEFT")
    parser.add_argument("--domain", metavar="DOMAIN", help="which zone; a file says it itself")
    parser.add_argument("--answers", action="store_true", help="also put every question to every server of both sides")
    parser.add_argument("--csv", action="store_true", help="the differences as a table")
    parser.add_argument(
        "--difference",
        metavar="FILE",
        help=(
            "write what turns LEFT into RIGHT; `legatum publish DOMAIN --difference FILE --to PROVIDER` carries it out"
        ),
    )
    parser.add_argument(
        "--views",
        nargs=2,
        metavar=("INSIDE", "OUTSIDE"),
        help="instead: a domain's names from two views of the settings",
    )
    parser.add_argument(
        "--zone", metavar="PLACE", help="with --views: whose names to ask for; without it those that zones usually have"
    )
    parser.add_argument(
        "--before", metavar="PLACE", help="with --views: the zone as it was before a change, to find who still has that"
    )
    add_viewpoints(parser)
    add_common(parser)


def run(args: argparse.Namespace) -> int:
    from legatum.core.records.name import parse_domain
    from legatum.core.running.fault import BadInput

    if args.views:
        return _views(args)
    if args.right is None:
        raise BadInput(
            "compare wants two places", "`legatum compare LEFT RIGHT --domain DOMAIN`, or the domain alone with --views"
        )
    if args.zone or args.before:
        raise BadInput("--zone and --before go with --views", "leave them out")
    if wants_viewpoints(args) and not args.answers:
        raise BadInput("viewpoints see what servers answer, not what zones contain", "add --answers")
    domain = parse_domain(args.domain) if args.domain else None
    if args.more and args.difference:
        raise BadInput("--difference is of two places", "leave out the others")
    keep_apart({"one of the two places": args.left, "the other place": args.right}, {"--difference": args.difference})
    if args.csv and args.json:
        raise BadInput("--csv and --json both go to standard output", "choose one of them")

    async def work(context: "RunContext") -> int:
        from legatum.work.zones.compare import compare_contents

        documents = []
        for place in (args.right, *args.more):
            with bar(args):
                contents = await compare_contents(context, args.left, place, domain)
                answers, everywhere = await _answers(args, context, place, contents) if args.answers else (None, None)
            documents.append(_document(contents, answers, everywhere))
        _tell(args, documents)
        bad = any(each.worse or (each.everywhere is not None and not each.everywhere.good) for each in documents)
        return FOUND if bad else OK

    return with_outside(args, work)


def _views(args: argparse.Namespace) -> int:
    from legatum.core.records.name import parse_domain
    from legatum.core.running.fault import BadInput

    if args.right is not None or args.answers or args.csv or args.difference or wants_viewpoints(args):
        raise BadInput("--views compares one domain's names", "name the domain alone, beside --views")
    domain = parse_domain(args.domain or args.left)

    async def work(context: "RunContext") -> int:
        from legatum.views.look.views import show_views, views_document
        from legatum.work.gathering.contents import contents_of
        from legatum.work.services.views import compare_views

        zones = [
            (await contents_of(context, place, domain)).zone if place else None for place in (args.zone, args.before)
        ]
        document = views_document(await compare_views(context, domain, *args.views, *zones))
        show(args, document, lambda screen: show_views(document, screen))
        return OK if document.good else FOUND

    return with_outside(args, work)


def _document(
    contents: "ContentsComparison", answers: "AnswersComparison | None", everywhere: "Everywhere | None"
) -> "CompareDocument":
    from msgspec import structs

    from legatum.views.everywhere import everywhere_part
    from legatum.views.zones.compare import compare_document

    document = compare_document(contents, answers)
    return structs.replace(document, everywhere=everywhere_part(everywhere)) if everywhere is not None else document


def _tell(args: argparse.Namespace, documents: "list[CompareDocument]") -> None:
    from legatum.views.document import json_text
    from legatum.views.zones.compare import CompareListDocument, compare_csv, show_compare

    if args.difference:
        from pathlib import Path

        from legatum.net.file import write_whole

        write_whole(Path(args.difference), json_text(documents[0]))
        note(args, f"difference: {args.difference}")
    if args.csv:
        sys.stdout.write(compare_csv(documents))
    elif args.json:
        show(args, documents[0] if len(documents) == 1 else CompareListDocument(comparisons=documents), lambda _: None)
    else:
        for document in documents:
            show(args, document, partial(show_compare, document))


async def _answers(
    args: argparse.Namespace, context: "RunContext", right: str, contents: "ContentsComparison"
) -> "tuple[AnswersComparison, Everywhere | None]":
    from legatum.core.running.fault import BadInput
    from legatum.core.zones.zone import Zone
    from legatum.work.zones.compare import addresses_by_side, compare_answers

    sides: dict[str, str] = {}
    for place in (args.left, right):
        if place in context.providers:
            sides |= await addresses_by_side(context, {place: context.provider(place).servers})
        elif place.startswith("server:"):
            sides[place.removeprefix("server:")] = place
    if len(set(sides.values())) < 2:
        raise BadInput("--answers needs servers on both sides", "name two providers of the settings, or server:ADDRESS")
    both = Zone(contents.left.zone.origin, [*contents.right.zone, *contents.left.zone])
    found = await compare_answers(context, both, sides, right)
    if not wants_viewpoints(args):
        return found, None
    from legatum.core.house.everywhere import of_answers
    from legatum.work.afar.remote_tasks import answers_there

    def verdict(seen: "AnswersComparison") -> tuple[bool, str]:
        worse = len(seen.worse)
        return (
            not worse,
            f"{worse} of {seen.questions} questions answered worse"
            if worse
            else f"{seen.questions} questions, none worse",
        )

    return found, await look_everywhere(args, context, found, answers_there, (both, sides, right), of_answers, verdict)
