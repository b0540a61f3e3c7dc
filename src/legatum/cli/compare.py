"""``legatum compare LEFT RIGHT``"""

import argparse
from typing import TYPE_CHECKING

from legatum.cli.common import FOUND, OK, add_common, show, with_outside

if TYPE_CHECKING:
    from legatum.work.compare import AnswersComparison, ContentsComparison
    from legatum.work.outside import Outside


def configure(parser: argparse.ArgumentParser) -> None:
    places = "a provider of the settings, a master file, or server:ADDRESS"
    parser.add_argument("left", metavar="LEFT", help=places)
    parser.add_argument("right", metavar="RIGHT", help=places)
    parser.add_argument("--domain", metavar="DOMAIN", help="which zone; a file says it itself")
    parser.add_argument("--answers", action="store_true", help="also put every question to every server of both sides")
    add_common(parser)


def run(args: argparse.Namespace) -> int:
    from legatum.core.name import parse_domain

    domain = parse_domain(args.domain) if args.domain else None

    async def work(outside: "Outside") -> int:
        from legatum.views.compare import compare_document, show_compare
        from legatum.work.compare import compare_contents

        contents = await compare_contents(outside, args.left, args.right, domain)
        answers = await _answers(args, outside, contents) if args.answers else None
        document = compare_document(contents, answers)
        show(args, document, lambda screen: show_compare(document, screen))
        return OK if document.equal else FOUND

    return with_outside(args, work)


async def _answers(args: argparse.Namespace, outside: "Outside", contents: "ContentsComparison") -> "AnswersComparison":
    from legatum.core.fault import BadInput
    from legatum.core.zone import Zone
    from legatum.work.compare import addresses_by_side, compare_answers

    sides: dict[str, str] = {}
    for place in (args.left, args.right):
        if place in outside.settings.providers:
            sides |= await addresses_by_side(outside, {place: outside.provider(place).servers})
        elif place.startswith("server:"):
            sides[place.removeprefix("server:")] = place
    if len(set(sides.values())) < 2:
        raise BadInput("--answers needs servers on both sides", "name two providers of the settings, or server:ADDRESS")
    both = Zone(contents.left.zone.origin, [*contents.right.zone, *contents.left.zone])
    return await compare_answers(outside, both, sides)
