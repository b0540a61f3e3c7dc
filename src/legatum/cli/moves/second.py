"""``legatum second show / add / leave DOMAIN``: the short way to a move with, or without, a second provider"""

import argparse
from typing import TYPE_CHECKING

from legatum.cli.moves.moving import add_going, draft_and_go
from legatum.cli.program.common import (
    FOUND,
    OK,
    SHUT,
    add_common,
    add_provider,
    agreed,
    domains_of,
    ending_of,
    first_of,
    show,
    with_outside,
)

if TYPE_CHECKING:
    from legatum.core.moves.wishes import Wishes
    from legatum.core.records.name import Name
    from legatum.work.run_context import RunContext


def configure(parser: argparse.ArgumentParser) -> None:
    actions = parser.add_subparsers(dest="action", required=True, metavar="ACTION")
    shown = actions.add_parser("show", help="whether both providers have the same zone")
    added = actions.add_parser("add", help="have a second provider serve the zone too, or many zones")
    left = actions.add_parser(
        "leave", help="a second provider out of both NS sets, and of its service when nobody asks it any more"
    )
    added.add_argument("domains", metavar="DOMAIN", nargs="*")
    added.add_argument(
        "--list", metavar="FILE", help="domains, one a line; the second provider is told of all of them together"
    )
    for action in (shown, left):
        action.add_argument("domain", metavar="DOMAIN")
    for action in (shown, added, left):
        add_provider(action)
        action.add_argument(
            "--second", required=True, metavar="NAME", help="a secondary of the settings, or who signs by itself"
        )
    added.add_argument("--registrar", default="", metavar="NAME", help="name its servers at this registrar too")
    left.add_argument("--registrar", default="", metavar="NAME", help="take its servers out at this registrar too")
    left.add_argument(
        "--dead", action="store_true", help="although its servers answer no more: nobody can depend on them"
    )
    for action in (added, left):
        add_going(action)
    for action in (shown, added, left):
        add_common(action)


def run(args: argparse.Namespace) -> int:
    return with_outside(args, lambda context: {"show": _show, "add": _add, "leave": _leave}[args.action](args, context))


async def _show(args: argparse.Namespace, context: "RunContext") -> int:
    from legatum.core.records.name import parse_domain
    from legatum.views.zones.second import second_document, show_second
    from legatum.work.drafting.left_out import provider_for
    from legatum.work.drafting.second import open_seconding, serials_of

    domain = parse_domain(args.domain)
    provider = await provider_for(context, domain, args.at)
    seconding = open_seconding(context, domain, provider.name, args.second)
    document = second_document(seconding.domain, await serials_of(context, seconding))
    show(args, document, lambda screen: show_second(document, screen))
    return OK if document.agreed else FOUND


def _wish(args: argparse.Namespace, context: "RunContext", domain: "Name") -> "Wishes":
    from legatum.core.calendar.duration import parse_duration
    from legatum.core.moves.wishes import Wishes

    added = args.action == "add"
    return Wishes(
        domain=domain,
        old=args.at,
        registrar=args.registrar,
        second=args.second if added else "",
        without="" if added else args.second,
        dead=getattr(args, "dead", False),
        at_registrar=bool(args.registrar),
        low_ttl=parse_duration(context.settings.house.low_ttl),
        anyway=args.anyway,
    )


async def _add(args: argparse.Namespace, context: "RunContext") -> int:
    from legatum.core.running.fault import BadInput
    from legatum.work.drafting.second import has_own_zone

    domains = domains_of(args)
    if len(domains) > 1 and has_own_zone(context, args.second):
        raise BadInput(f"{args.second} has a zone of its own for each domain, with keys of its own", "name one domain")
    if len(domains) == 1 and not args.list:
        return await draft_and_go(args, context, _wish(args, context, domains[0]))
    return await _add_many(args, context, domains)


async def _add_many(args: argparse.Namespace, context: "RunContext", domains: "list[Name]") -> int:
    from legatum.core.records.name import name_text
    from legatum.views.zones.second import joined_document, show_joined
    from legatum.work.drafting.left_out import provider_for
    from legatum.work.fleet.seconds import Joined, draft_many, join_many

    args.at = (await provider_for(context, domains[0], args.at)).name
    drawn = await draft_many(context, [_wish(args, context, each) for each in domains])
    ready = [each for each in drawn.values() if not isinstance(each, Joined)]
    lines = [f"{args.second} is told of them, and each is brought into step"]
    lines += [f"then at {place}: + its servers" for place in (args.at, args.registrar) if place]
    lines += first_of(args, [name_text(each.runbook.domain) for each in ready])
    go = bool(ready) and agreed(args, f"{len(ready)} zones: {args.second} beside {args.at}", lines)
    done = {each.domain: each for each in await join_many(context, ready, args.wait)} if go else {}
    found = [
        each if isinstance(each, Joined) else done.get(domain, Joined(domain, "ready"))
        for domain, each in drawn.items()
    ]
    state = ending_of(args, ready, go)
    document = joined_document(state, args.at, args.second, found)
    show(args, document, lambda screen: show_joined(document, screen))
    if state == "declined":
        return SHUT
    return FOUND if any(each.state == "failed" for each in document.domains) else OK


async def _leave(args: argparse.Namespace, context: "RunContext") -> int:
    from legatum.core.records.name import parse_domain

    return await draft_and_go(args, context, _wish(args, context, parse_domain(args.domain)))
