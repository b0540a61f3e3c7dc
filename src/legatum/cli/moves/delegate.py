"""``legatum delegate NAME --of DOMAIN [--back]``: the short way to a move that hands a part of a zone on, or takes it
back"""

import argparse
from typing import TYPE_CHECKING

from legatum.cli.moves.moving import add_going, draft_and_go
from legatum.cli.program.common import add_common, with_outside

if TYPE_CHECKING:
    from legatum.work.run_context import RunContext


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("name", metavar="NAME", help="what is handed on: app, or the whole name")
    parser.add_argument("--of", required=True, metavar="DOMAIN", help="the zone that it is in now")
    parser.add_argument(
        "--at", default="", metavar="PROVIDER", help="who serves that zone (default: as the delegation shows)"
    )
    parser.add_argument(
        "--to", required=True, metavar="PROVIDER", help="who is to serve the part that is handed on, or serves it"
    )
    parser.add_argument(
        "--ttl", default="1h", metavar="DURATION", help="of the NS set and glue in the parent zone (default: 1h)"
    )
    parser.add_argument(
        "--back",
        action="store_true",
        help="take it back into the zone; the child zone ends when nobody asks it any more",
    )
    add_going(parser)
    add_common(parser)


def run(args: argparse.Namespace) -> int:
    from legatum.core.calendar.duration import parse_duration
    from legatum.core.moves.wishes import Wishes
    from legatum.core.records.name import parse_domain, typed_name
    from legatum.core.running.fault import BadInput

    if args.at == args.to:
        raise BadInput(
            f"{args.at} serves that zone: a part is handed to another provider", "name another one with --to"
        )
    origin = parse_domain(args.of)
    cut, ttl = typed_name(args.name, origin), parse_duration(args.ttl)

    async def work(context: "RunContext") -> int:
        low = parse_duration(context.settings.house.low_ttl)
        wish = Wishes(
            domain=origin,
            old=args.at,
            part=(cut, args.to),
            part_ttl=ttl,
            part_back=args.back,
            low_ttl=low,
            anyway=args.anyway,
        )
        return await draft_and_go(args, context, wish)

    return with_outside(args, work)
