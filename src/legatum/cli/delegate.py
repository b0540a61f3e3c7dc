"""``legatum delegate NAME --of DOMAIN [--back]``"""

import argparse
from typing import TYPE_CHECKING

from legatum.cli.common import OK, SHUT, add_anyway, add_changing, add_common, agreed, note, show, with_outside

if TYPE_CHECKING:
    from legatum.core.name import Name
    from legatum.work.outside import Outside


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("name", metavar="NAME", help="what is handed on: app, or the whole name")
    parser.add_argument("--of", required=True, metavar="DOMAIN", help="the zone that it is in now")
    parser.add_argument("--at", required=True, metavar="PROVIDER", help="who serves that zone")
    parser.add_argument("--to", required=True, metavar="PROVIDER", help="who is to serve the part that is handed on, or serves it")
    parser.add_argument("--ttl", default="1h", metavar="DURATION", help="of the NS set and glue in the parent zone (default: 1h)")
    parser.add_argument("--back", action="store_true", help="take it back into the zone; the child zone ends when nobody asks it any more")
    parser.add_argument("--wait", action="store_true", help="with --back: stay until nobody asks the child zone any more, and end it")
    add_anyway(parser)
    add_changing(parser)
    add_common(parser)


def run(args: argparse.Namespace) -> int:
    from legatum.core.duration import parse_duration
    from legatum.core.fault import BadInput
    from legatum.core.name import parse_domain, typed_name

    if args.wait and not args.back:
        raise BadInput("--wait waits for the end of a part that is taken back", "say --back too")
    if args.at == args.to:
        raise BadInput(f"{args.at} serves that zone: a part is handed to another provider", "name another one with --to")
    origin = parse_domain(args.of)
    cut, ttl = typed_name(args.name, origin), parse_duration(args.ttl)

    async def work(outside: "Outside") -> int:
        from legatum.core.name import name_text
        from legatum.views.delegate import delegate_document, show_delegate
        from legatum.views.publish import change_lines
        from legatum.work.delegate import draw_handing, hand_on
        from legatum.work.harm import refuse_harm

        if args.back:
            return await _back(args, outside, origin, cut)
        old, new = outside.provider(args.at), outside.provider(args.to)
        handing = await draw_handing(outside, origin, cut, old, new, ttl)
        for text in handing.notes:
            note(args, text)
        if not args.anyway:
            await refuse_harm(outside, handing.child, served=handing.parent.current)
            await refuse_harm(outside, handing.parent)
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


async def _back(args: argparse.Namespace, outside: "Outside", origin: "Name", cut: "Name") -> int:
    from legatum.core.instant import instant_text
    from legatum.core.name import name_text
    from legatum.views.delegate import show_taken_back, taken_back_document
    from legatum.views.publish import change_lines
    from legatum.work.delegate import back_id, draw_taking_back, end_child, take_back
    from legatum.work.harm import refuse_harm
    from legatum.work.parting import parting

    at, held_by = outside.provider(args.at), outside.provider(args.to)
    ident, taking, done, over = back_id(cut, held_by), None, [], False
    standing = parting(outside, ident, held_by.name)
    if standing is None:
        taking = await draw_taking_back(outside, origin, cut, at, held_by)
        if not args.anyway:
            await refuse_harm(outside, taking.parent)
        lines = [f"at {at.name}, first: {line}" for line in change_lines(taking.parent)] if taking.parent.is_needed else []
        lines += [f"at {held_by.name}, then: {line}" for line in change_lines(taking.child)] if taking.child.is_needed else []
        if agreed(args, f"{name_text(cut)}: {held_by.name} → back to {at.name}, old → new:", lines):
            note(args, "the parent zone, proof, then the child zone's NS set, and proof …")
            done += await take_back(outside, taking)
            standing = parting(outside, ident, held_by.name)
    if standing is not None and not args.dry_run:
        if args.wait and outside.clock.now() < standing.bound:
            note(args, f"hold until {instant_text(standing.bound)}: {standing.reason}")
            await outside.clock.until(standing.bound)
        over = outside.clock.now() >= standing.bound
        done += [await end_child(outside, cut, held_by)] if over else []
    state = "over" if over else "taken back" if standing else "shown" if args.dry_run else "declined"
    document = taken_back_document(cut, origin, at.name, held_by.name, state, taking, done, standing)
    show(args, document, lambda screen: show_taken_back(document, screen))
    return SHUT if state == "declined" else OK
