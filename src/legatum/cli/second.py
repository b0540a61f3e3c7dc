"""``legatum second show / add / leave DOMAIN``"""

import argparse
from typing import TYPE_CHECKING

from legatum.cli.common import FOUND, OK, SHUT, add_changing, add_common, agreed, note, show, with_outside

if TYPE_CHECKING:
    from legatum.work.outside import Outside
    from legatum.work.second import Seconding


def configure(parser: argparse.ArgumentParser) -> None:
    actions = parser.add_subparsers(dest="action", required=True, metavar="ACTION")
    shown = actions.add_parser("show", help="whether both providers are in step")
    added = actions.add_parser("add", help="have a second provider serve the zone too")
    left = actions.add_parser("leave", help="a second provider out of both NS sets, and of its service when nobody asks it any more")
    for action in (shown, added, left):
        action.add_argument("domain", metavar="DOMAIN")
        action.add_argument("--at", required=True, metavar="PROVIDER", help="who the zone is changed at")
        action.add_argument("--second", required=True, metavar="NAME", help="a secondary of the settings")
    added.add_argument("--registrar", metavar="NAME", help="name its servers at this registrar too")
    left.add_argument("--registrar", metavar="NAME", help="take its servers out at this registrar too")
    left.add_argument("--wait", action="store_true", help="stay until nobody asks it any more, and end its service")
    for action in (added, left):
        add_changing(action)
    for action in (shown, added, left):
        add_common(action)


def run(args: argparse.Namespace) -> int:
    from legatum.core.name import parse_domain

    domain = parse_domain(args.domain)

    async def work(outside: "Outside") -> int:
        from legatum.core.name import name_text
        from legatum.views.publish import change_lines
        from legatum.views.second import second_document, show_second
        from legatum.work.second import carry_out_naming, in_step, name_in_zone, open_seconding, standings, tell

        seconding = open_seconding(outside, domain, args.at, args.second, getattr(args, "registrar", None))
        if args.action == "leave":
            return await _leave(args, outside, seconding)
        done: list[str] = []
        left: list[str] = []
        declined = False
        if args.action == "add":
            publication = await name_in_zone(outside, seconding)
            lines = [f"{args.second} is told of the zone, where it does not serve it, and brought into step"]
            lines += [f"then at {args.at}: {line}" for line in change_lines(publication)]
            if args.registrar:
                lines.append(f"then at {args.registrar}: + {', '.join(name_text(name) for name in seconding.servers)}")
            if agreed(args, f"{args.domain}: {args.second} beside {args.at}", lines):
                done.append(await tell(outside, seconding))
                note(args, f"waiting until every server of {args.second} has the zone …")
                serial, told = await in_step(outside, seconding)
                done.append(
                    f"in step at serial {serial}" + (f"; {told} of {len(seconding.section.notify)} took our NOTIFY" if told else "")
                )
                done += await carry_out_naming(outside, seconding, publication)
                if not args.registrar:
                    left.append(f"name {', '.join(name_text(name) for name in seconding.servers)} at the registrar too")
            else:
                declined = not args.dry_run
        document = second_document(domain, await standings(outside, seconding), done, left)
        show(args, document, lambda screen: show_second(document, screen))
        return SHUT if declined else OK if document.agreed or args.action == "add" else FOUND

    return with_outside(args, work)


async def _leave(args: argparse.Namespace, outside: "Outside", seconding: "Seconding") -> int:
    from legatum.core.instant import instant_text
    from legatum.core.name import name_text
    from legatum.views.second import second_document, show_second
    from legatum.work.second import leaving, release, standings, unname

    done: list[str] = []
    left: list[str] = []
    standing = leaving(outside, seconding)
    names = ", ".join(name_text(name) for name in seconding.servers)
    declined = False
    if standing is None:
        lines = [
            f"- {names}, at {args.registrar or 'the registrar'} and in the zone at {args.at}",
            f"then {args.second}'s service ends, not at once",
        ]
        if agreed(args, f"{args.domain}: without {args.second}", lines):
            done += await unname(outside, seconding)
            standing = leaving(outside, seconding)
        else:
            declined = not args.dry_run
    if standing is not None and not args.dry_run:
        if args.wait and outside.clock.now() < standing.bound:
            note(args, f"hold until {instant_text(standing.bound)}: {standing.reason}")
            await outside.clock.until(standing.bound)
        if outside.clock.now() >= standing.bound:
            done.append(await release(outside, seconding))
        else:
            left.append(f"not before {instant_text(standing.bound)}: the same command, or stay with --wait; {standing.reason}")
    document = second_document(seconding.domain, await standings(outside, seconding), done, left)
    show(args, document, lambda screen: show_second(document, screen))
    return SHUT if declined else OK
