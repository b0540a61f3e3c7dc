"""``legatum second show / add / leave DOMAIN``"""

import argparse
from typing import TYPE_CHECKING

from legatum.cli.common import (
    FOUND,
    OK,
    SHUT,
    add_anyway,
    add_changing,
    add_common,
    agreed,
    domains_of,
    ending_of,
    first_of,
    note,
    show,
    with_outside,
)

if TYPE_CHECKING:
    from legatum.work.outside import Outside
    from legatum.work.second import Seconding


def configure(parser: argparse.ArgumentParser) -> None:
    actions = parser.add_subparsers(dest="action", required=True, metavar="ACTION")
    shown = actions.add_parser("show", help="whether both providers are in step")
    added = actions.add_parser("add", help="have a second provider serve the zone too, or many zones")
    left = actions.add_parser("leave", help="a second provider out of both NS sets, and of its service when nobody asks it any more")
    added.add_argument("domains", metavar="DOMAIN", nargs="*")
    added.add_argument("--list", metavar="FILE", help="domains, one a line; the second provider is told of all of them together")
    for action in (shown, left):
        action.add_argument("domain", metavar="DOMAIN")
    for action in (shown, added, left):
        action.add_argument("--at", required=True, metavar="PROVIDER", help="who the zone is changed at")
        action.add_argument("--second", required=True, metavar="NAME", help="a secondary of the settings")
    added.add_argument("--registrar", metavar="NAME", help="name its servers at this registrar too")
    left.add_argument("--registrar", metavar="NAME", help="take its servers out at this registrar too")
    left.add_argument("--wait", action="store_true", help="stay until nobody asks it any more, and end its service")
    for action in (added, left):
        add_anyway(action)
        add_changing(action)
    for action in (shown, added, left):
        add_common(action)


def run(args: argparse.Namespace) -> int:
    return with_outside(args, lambda outside: {"show": _show, "add": _add, "leave": _leave}[args.action](args, outside))


async def _show(args: argparse.Namespace, outside: "Outside") -> int:
    from legatum.core.name import parse_domain
    from legatum.views.second import second_document, show_second
    from legatum.work.second import open_seconding, standings

    seconding = open_seconding(outside, parse_domain(args.domain), args.at, args.second, None)
    document = second_document("compared", seconding.domain, await standings(outside, seconding), [], [])
    show(args, document, lambda screen: show_second(document, screen))
    return OK if document.agreed else FOUND


async def _add(args: argparse.Namespace, outside: "Outside") -> int:
    from legatum.work.second import open_seconding

    domains = domains_of(args)
    secondings = [open_seconding(outside, each, args.at, args.second, args.registrar) for each in domains]
    return await (_one(args, outside, secondings[0]) if len(domains) == 1 and not args.list else _many(args, outside, secondings))


async def _one(args: argparse.Namespace, outside: "Outside", seconding: "Seconding") -> int:
    from legatum.core.name import name_text
    from legatum.views.publish import change_lines
    from legatum.views.second import second_document, show_second
    from legatum.work.harm import refuse_harm
    from legatum.work.second import join, name_in_zone, standings, tell

    domain, names = seconding.domain, ", ".join(name_text(name) for name in seconding.servers)
    done: list[str] = []
    left: list[str] = []
    state = "done"
    publication = await name_in_zone(outside, seconding)
    if not args.anyway:
        await refuse_harm(outside, publication, coming=seconding.servers)
    lines = [f"{args.second} is told of the zone, where it does not serve it, and brought into step"]
    lines += [f"then at {args.at}: {line}" for line in change_lines(publication)]
    lines += [f"then at {args.registrar}: + {names}"] if args.registrar else []
    if agreed(args, f"{name_text(domain)}: {args.second} beside {args.at}", lines):
        done.append((await tell(outside, [seconding]))[domain])
        note(args, f"waiting until every server of {args.second} has the zone …")
        done += await join(outside, seconding, publication)
        left += [] if args.registrar else [f"name {names} at the registrar too"]
    else:
        state = "shown" if args.dry_run else "declined"
    document = second_document(state, domain, await standings(outside, seconding), done, left)
    show(args, document, lambda screen: show_second(document, screen))
    return SHUT if state == "declined" else OK


async def _many(args: argparse.Namespace, outside: "Outside", secondings: "list[Seconding]") -> int:
    from legatum.core.name import name_text
    from legatum.views.second import joined_document, show_joined
    from legatum.work.publish import Publication
    from legatum.work.second_many import Joined, draw_many, join_many

    drawn = await draw_many(outside, secondings, args.anyway)
    ready = [(each, plan) for each in secondings if isinstance(plan := drawn[each.domain], Publication)]
    ways = [f"then at {place}: + {', '.join(map(name_text, secondings[0].servers))}" for place in (args.at, args.registrar) if place]
    lines = [f"{args.second} is told of them, and each is brought into step", *ways]
    lines += first_of(args, [name_text(each.domain) for each, _ in ready])
    go = bool(ready) and agreed(args, f"{len(ready)} zones: {args.second} beside {args.at}", lines)
    done = {each.domain: each for each in await join_many(outside, ready)} if go else {}
    found = [plan if isinstance(plan, Joined) else done.get(domain, Joined(domain, "ready")) for domain, plan in drawn.items()]
    state = ending_of(args, ready, go)
    document = joined_document(state, args.at, args.second, found)
    show(args, document, lambda screen: show_joined(document, screen))
    if state == "declined":
        return SHUT
    return FOUND if any(each.state == "failed" for each in document.domains) else OK


async def _leave(args: argparse.Namespace, outside: "Outside") -> int:
    from legatum.core.instant import instant_text
    from legatum.core.name import name_text, parse_domain
    from legatum.views.second import second_document, show_second
    from legatum.work.second import open_seconding, standings
    from legatum.work.second_leave import leaving, release, unname

    seconding = open_seconding(outside, parse_domain(args.domain), args.at, args.second, args.registrar)
    done: list[str] = []
    left: list[str] = []
    standing = leaving(outside, seconding)
    names = ", ".join(name_text(name) for name in seconding.servers)
    state = "shown" if args.dry_run else "done"
    if standing is None:
        lines = [
            f"- {names}, at {args.registrar or 'the registrar'} and in the zone at {args.at}",
            f"then {args.second}'s service ends, not at once",
        ]
        if agreed(args, f"{args.domain}: without {args.second}", lines):
            done += await unname(outside, seconding)
            standing = leaving(outside, seconding)
        elif not args.dry_run:
            state = "declined"
    if standing is not None and not args.dry_run:
        if args.wait and outside.clock.now() < standing.bound:
            note(args, f"hold until {instant_text(standing.bound)}: {standing.reason}")
            await outside.clock.until(standing.bound)
        if outside.clock.now() >= standing.bound:
            done.append(await release(outside, seconding))
        else:
            left.append(f"not before {instant_text(standing.bound)}: the same command, or stay with --wait; {standing.reason}")
    document = second_document(state if not left else "holding", seconding.domain, await standings(outside, seconding), done, left)
    show(args, document, lambda screen: show_second(document, screen))
    return SHUT if state == "declined" else OK
