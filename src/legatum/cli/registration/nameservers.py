"""``legatum registration nameservers``: of one domain, or the same set for many"""

import argparse
from collections.abc import Iterator
from typing import TYPE_CHECKING, Any

from legatum.cli.program.common import (
    FOUND,
    OK,
    SHUT,
    add_registrar,
    agreed,
    domains_of,
    ending_of,
    first_of,
    note,
    show,
    with_outside,
)
from legatum.cli.registration.ending import change_or_put_down, document_of, end, watch

if TYPE_CHECKING:
    from legatum.core.records.name import Name
    from legatum.services.registrar import Registrar
    from legatum.work.run_context import RunContext


def configure(actions: Any) -> Iterator[tuple[argparse.ArgumentParser, bool]]:
    servers = actions.add_parser("nameservers", help="change the NS set, once every new server answers for the zone")
    servers.add_argument("domains", metavar="DOMAIN", nargs="*")
    servers.add_argument("--list", metavar="FILE", help="domains, one a line; all get the same set, over one session")
    add_registrar(servers)
    what = servers.add_mutually_exclusive_group(required=True)
    what.add_argument("--ns", metavar="NAME,NAME,…", help="the whole set")
    what.add_argument("--to", metavar="PROVIDER", help="the servers of this provider")
    servers.add_argument(
        "--anyway", action="store_true", help="even if a new server does not answer as the present ones do"
    )
    servers.add_argument("--wait", action="store_true", help="watch until every server of the parent zone hands it out")
    servers.add_argument(
        "--sheet", metavar="FILE", help="by hand: the worksheet, .md or .html (default DOMAIN.nameservers.md)"
    )
    yield servers, True


def run(args: argparse.Namespace) -> int:
    async def work(context: "RunContext") -> int:
        from legatum.core.records.name import typed_host
        from legatum.core.running.fault import BadInput
        from legatum.work.drafting.left_out import registrar_for

        domains = domains_of(args)
        registrar = await registrar_for(context, domains[0], args.registrar)
        if args.ns and len(domains) > 1 and any("." not in text.strip() for text in args.ns.split(",")):
            raise BadInput(
                f"--ns {args.ns}: of which of the {len(domains)} domains?", "write the name servers' names whole"
            )
        typed = (args.ns or "").split(",")
        wanted = sorted(
            context.provider(args.to).servers if args.to else {typed_host(text.strip(), domains[0]) for text in typed}
        )
        if len(domains) == 1 and not args.list:
            return await _one(args, context, domains[0], registrar, wanted)
        if args.wait or args.sheet or registrar.by_hand:
            raise BadInput(
                "--wait, --sheet and registrars by hand are for one domain at a time",
                "for many: `legatum fleet confirm LIST --to PROVIDER`",
            )
        return await _many(args, context, domains, registrar, wanted)

    return with_outside(args, work)


async def _one(
    args: argparse.Namespace, context: "RunContext", domain: "Name", registrar: "Registrar", wanted: "list[Name]"
) -> int:
    from legatum.core.records.name import name_text
    from legatum.views.registry.sheet import nameserver_sheet
    from legatum.work.effect import found_done
    from legatum.work.registry.registration import change_nameservers, other_names, refuse_unready, wait_until_published

    before = (await registrar.registration(domain)).nameservers
    document = document_of(
        args, domain, registrar, [name_text(name) for name in sorted(before)], [name_text(name) for name in wanted]
    )
    if set(before) != set(wanted):
        if not args.anyway:
            count = await refuse_unready(context, domain, before, wanted)
            if count:
                note(
                    args, f"{count} addresses of the new servers answer for {name_text(domain)} as the present ones do"
                )
            for text in await other_names(context, domain, wanted):
                note(args, f"{text}: resolvers that go by the zone's own set come to those; make it the same there too")

        async def sheet() -> str:
            return nameserver_sheet(domain, registrar.name, registrar.page, sorted(before), wanted)

        title, lines = (
            f"NS set of {name_text(domain)} at {registrar.name}",
            [f"{', '.join(document.old)} → {', '.join(document.new)}"],
        )
        await change_or_put_down(
            args,
            document,
            registrar,
            title,
            lines,
            sheet,
            lambda: change_nameservers(context, registrar, domain, wanted),
        )
    elif not args.dry_run:
        found_done(context, domain, "nameservers")
    await watch(args, document, lambda told: wait_until_published(context, domain, before, wanted, told))
    return end(args, document)


async def _many(
    args: argparse.Namespace, context: "RunContext", domains: "list[Name]", registrar: "Registrar", wanted: "list[Name]"
) -> int:
    from legatum.core.records.name import name_text
    from legatum.views.registry.registration import many_document, show_many
    from legatum.work.effect import found_done
    from legatum.work.fleet.ns_sets import change, look

    candidates = await look(context, registrar, domains, wanted, not args.anyway, lambda text: note(args, text))
    for each in candidates:
        if each.state == "unchanged" and not args.dry_run:
            found_done(context, each.domain, "nameservers")
    ready = [each for each in candidates if each.state == "ready"]
    lines = first_of(args, [f"{name_text(each.domain)}: {', '.join(map(name_text, each.old))}" for each in ready])
    lines.append(f"→ {', '.join(map(name_text, wanted))}")
    go = bool(ready) and agreed(args, f"NS sets of {len(ready)} domains at {registrar.name}, old → new:", lines)
    if go:
        candidates = await change(context, registrar, candidates, wanted)
    state = ending_of(args, ready, go)
    document = many_document(state, registrar.name, wanted, candidates)
    show(args, document, lambda screen: show_many(document, screen))
    if state == "declined":
        return SHUT
    return FOUND if any(each.state in ("refused", "failed") for each in candidates) else OK
