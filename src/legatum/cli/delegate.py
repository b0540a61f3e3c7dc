"""``legatum delegate NAME --of DOMAIN``"""

import argparse
from typing import TYPE_CHECKING

from legatum.cli.common import OK, SHUT, add_changing, add_common, agreed, note, show, with_outside

if TYPE_CHECKING:
    from legatum.work.outside import Outside


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("name", metavar="NAME", help="what is handed on: app, or whole with a final dot")
    parser.add_argument("--of", required=True, metavar="DOMAIN", help="the zone that it is in now")
    parser.add_argument("--at", required=True, metavar="PROVIDER", help="who serves that zone")
    parser.add_argument("--to", required=True, metavar="PROVIDER", help="who is to serve the part that is handed on")
    parser.add_argument("--ttl", default="1h", metavar="DURATION", help="of the NS set and glue in the parent zone (default: 1h)")
    add_changing(parser)
    add_common(parser)


def run(args: argparse.Namespace) -> int:
    from legatum.core.duration import parse_duration
    from legatum.core.name import parse_domain, parse_name

    origin = parse_domain(args.of)
    cut, ttl = parse_name(args.name, origin), parse_duration(args.ttl)

    async def work(outside: "Outside") -> int:
        from legatum.core.name import name_text
        from legatum.views.delegate import delegate_document, show_delegate
        from legatum.views.publish import change_lines
        from legatum.work.delegate import draw_handing, hand_on

        old, new = outside.provider(args.at), outside.provider(args.to)
        handing = await draw_handing(outside, origin, cut, old, new, ttl, create=not args.dry_run)
        lines = [f"at {new.name}, first: {line}" for line in change_lines(handing.child)] if handing.child.is_needed else []
        lines += [f"at {old.name}, then: {line}" for line in change_lines(handing.parent)]
        state, done = "shown" if args.dry_run else "declined", None
        if agreed(args, f"{name_text(cut)}: {old.name} → {new.name}, old → new:", lines):
            note(args, "the child zone, proof, then the parent zone, and proof …")
            done = await hand_on(outside, handing)
            state = "handed on"
        document = delegate_document(handing, state, done, outside.caution)
        show(args, document, lambda screen: show_delegate(document, screen))
        return SHUT if state == "declined" else OK

    return with_outside(args, work)
