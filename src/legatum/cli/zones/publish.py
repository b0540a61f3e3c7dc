"""``legatum publish DOMAIN --to PROVIDER``"""

import argparse
from typing import TYPE_CHECKING

from legatum.cli.program.common import (
    FOUND,
    OK,
    SHUT,
    add_anyway,
    add_changing,
    add_common,
    agreed,
    domains_of,
    ending_of,
    keep_apart,
    note,
    show,
    tell_how,
    with_outside,
)
from legatum.cli.program.progress import bar

if TYPE_CHECKING:
    from legatum.core.records.name import Name
    from legatum.core.running.fault import GateShut
    from legatum.core.zones.changing.publication import Publication
    from legatum.core.zones.difference import Difference
    from legatum.core.zones.pasted.reading import Pasted
    from legatum.core.zones.zone import Zone
    from legatum.services.provider import Provider
    from legatum.work.fleet.zones import Put
    from legatum.work.run_context import RunContext


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("domains", metavar="DOMAIN", nargs="*")
    parser.add_argument("--list", metavar="FILE", help="many zones: domains, one a line")
    parser.add_argument("--to", required=True, metavar="PROVIDER", help="a provider of the settings")
    what = parser.add_mutually_exclusive_group(required=True)
    what.add_argument(
        "--from",
        dest="source",
        metavar="PLACE",
        help=(
            "a master file, pasted rows (- for standard input), a folder of DOMAIN.zone files, a provider, "
            "server:ADDRESS"
        ),
    )
    what.add_argument(
        "--difference",
        metavar="FILE",
        help="what `legatum compare LEFT RIGHT --domain DOMAIN --difference FILE` wrote: that alone is changed",
    )
    parser.add_argument("--ns-ttl", metavar="DURATION", help="TTL of the NS set there (default: as at the source)")
    parser.add_argument(
        "--remove", action="store_true", help="even if that takes away more of the zone than the house lets go"
    )
    parser.add_argument(
        "--sheet", metavar="FILE", help="by hand: the worksheet, .md or .html (default DOMAIN.worksheet.md)"
    )
    parser.add_argument("--wait", action="store_true", help="by hand: watch until every server has it")
    add_anyway(parser)
    add_changing(parser)
    add_common(parser)


def run(args: argparse.Namespace) -> int:
    from legatum.core.calendar.duration import parse_duration
    from legatum.core.running.fault import BadInput

    ns_ttl = parse_duration(args.ns_ttl) if args.ns_ttl else None
    keep_apart({"what is published": args.source, "the difference": args.difference}, {"--sheet": args.sheet})

    async def work(context: "RunContext") -> int:
        domains = domains_of(args)
        if len(domains) > 1 and (args.difference or args.sheet or args.wait):
            raise BadInput("--difference, --sheet and --wait are of one zone", "name one domain")
        return await (
            _one(args, context, domains[0], ns_ttl) if len(domains) == 1 else _many(args, context, domains, ns_ttl)
        )

    return with_outside(args, work)


async def _one(args: argparse.Namespace, context: "RunContext", domain: "Name", ns_ttl: int | None) -> int:
    from legatum.core.records.name import name_text
    from legatum.core.running.fault import GateShut
    from legatum.core.zones.changing.publication import kept_of_source, with_difference
    from legatum.core.zones.zone import fresh_zone
    from legatum.views.zones.publish import change_lines, publish_document, show_publish
    from legatum.work.effect import found_done
    from legatum.work.gathering.contents import contents_of, is_served
    from legatum.work.gathering.flatten import flatten
    from legatum.work.zones.harm import refuse_harm
    from legatum.work.zones.publish import plan, present_at, prove, publish

    provider = context.provider(args.to)
    if args.difference:
        zone = with_difference(await provider.fetch(domain), _changes(args, domain))
    else:
        contents = await contents_of(context, args.source, domain)
        if contents.pasted is not None:
            _tell_pasted(args, contents.pasted)
            contents = contents.completed(
                await present_at(context, provider, domain) or fresh_zone(domain, provider.servers)
            )
        zone = contents.zone
    flattened = await flatten(context, zone)
    zone = flattened.zone
    for text in flattened.notes:
        note(args, text)
    if provider.by_hand:
        return await _by_hand(args, context, provider, zone)
    with bar(args):
        publication = await plan(context, provider, zone, ns_ttl)
    for text in (*publication.notes, *kept_of_source(publication)):
        note(args, text)
    refused = None if args.remove else _too_much(publication, context.settings.house.most_removed)
    if refused is not None and not args.dry_run:
        raise refused
    if publication.is_needed and not args.anyway:
        try:
            with bar(args):
                await refuse_harm(
                    context, publication, zone if args.source and is_served(context, args.source) else None
                )
        except GateShut as fault:
            if not args.dry_run:
                raise
            refused = refused or fault
    state, done = "unchanged", None
    if publication.is_needed:
        title = f"{name_text(domain)} at {provider.name}, old → new:"
        if agreed(args, title, change_lines(publication)):
            note(args, "publishing, then waiting until every server answers with the new serial …")
            with bar(args):
                state, done = "published", await publish(context, publication)
        else:
            state = "shown" if args.dry_run else "declined"
    else:
        done = await prove(context, publication, publication.wanted.keys, 0 if args.dry_run else None)
        if not args.dry_run:
            found_done(context, domain, "publish")
    document = publish_document(publication, state, done)
    tell_how(args, done)
    show(args, document, lambda screen: show_publish(document, screen))
    if refused is not None:
        raise refused
    return SHUT if state == "declined" else FOUND if document.moved_on else OK


def _too_much(publication: "Publication", share: int) -> "GateShut | None":
    """Why it would be refused without --remove."""
    from legatum.core.running.fault import GateShut
    from legatum.core.zones.changing.publication import refuse_removal

    try:
        refuse_removal(publication, share)
    except GateShut as refused:
        return refused
    return None


def _tell_pasted(args: argparse.Namespace, pasted: "Pasted") -> None:
    """What was understood of each row, and every doubt, before it is asked whether to go ahead."""
    note(args, f"{args.source}: {pasted.layout}")
    for each in pasted.rows:
        note(args, f"  line {each.row.line}: {each.row.text} → {each.text(pasted.domain) or 'left out'}")
        for text in each.doubts:
            note(args, f"    {text}")


async def _many(args: argparse.Namespace, context: "RunContext", domains: "list[Name]", ns_ttl: int | None) -> int:
    from legatum.views.zones.publish_many import many_document, many_lines, show_many
    from legatum.work.fleet.zones import draw_many, draw_sheets, publish_many
    from legatum.work.gathering.contents import check_place

    provider, files = context.provider(args.to), {}
    check_place(context, args.source)
    ready, go = 0, False
    note(args, f"looking at {len(domains)} zones …")
    if provider.by_hand:
        puts = await draw_sheets(context, provider, domains, args.source)
        files = _write_sheets(args, puts)
    else:
        puts = await draw_many(context, provider, domains, args.source, ns_ttl, args.remove, args.anyway)
        ready = sum(each.state == "ready" for each in puts)
        title = f"{ready} zone{'' if ready == 1 else 's'}: {args.source} → {provider.name}, old → new:"
        go = bool(ready) and agreed(args, title, many_lines(puts, args.dry_run))
        if go:
            note(args, "publishing, then waiting until every server answers with the new serials …")
            puts = await publish_many(context, puts)
    state = ending_of(args, ready, go)
    document = many_document(state, provider.name, args.source, puts, files)
    show(args, document, lambda screen: show_many(document, screen))
    return SHUT if state == "declined" else FOUND if any(each.state in ("refused", "failed") for each in puts) else OK


def _write_sheets(args: argparse.Namespace, puts: "list[Put]") -> "dict[Name, str]":
    """A worksheet for each zone that has something to do, here; where they are, by domain."""
    from legatum.views.zones.worksheet import sheet_path, write_worksheet

    sheets = {each.domain: each.sheet for each in puts if each.sheet is not None and each.state == "by hand"}
    if args.dry_run:
        return {}
    for domain, sheet in sheets.items():
        write_worksheet(sheet_path(domain), sheet)
    return {domain: str(sheet_path(domain)) for domain in sheets}


def _changes(args: argparse.Namespace, domain: "Name") -> "list[Difference]":
    """The differences of a file, but for those that are expected. Raises :class:`BadInput`."""
    from pathlib import Path

    from legatum.core.records.name import name_text
    from legatum.core.running.fault import BadInput
    from legatum.views.zones.compare import differences_of, read_difference

    try:
        document = read_difference(Path(args.difference).read_bytes())
    except OSError as error:
        raise BadInput(
            f"{args.difference}: {error.strerror}",
            "give a file that `legatum compare LEFT RIGHT --domain DOMAIN --difference FILE` wrote",
        ) from None
    if document.domain != name_text(domain):
        raise BadInput(f"{args.difference} is about {document.domain}", "give that domain")
    return differences_of(document, domain)


async def _by_hand(args: argparse.Namespace, context: "RunContext", provider: "Provider", zone: "Zone") -> int:
    """A worksheet for somebody else's form; with ``--wait`` until it is seen."""
    from pathlib import Path

    from legatum.core.zones.signer import counted_text, signers_own
    from legatum.views.zones.worksheet import sheet_path, show_worksheet, worksheet_document, write_worksheet
    from legatum.work.zones.worksheet import draw_worksheet, wait_for

    if made := signers_own(zone.unsorted):
        note(args, f"left out, because a signer made it: {counted_text(made)}")
    sheet = await draw_worksheet(context, provider, zone)
    path = Path(args.sheet) if args.sheet else sheet_path(zone.origin)
    if not args.dry_run:
        write_worksheet(path, sheet)
    seen = None
    if args.wait and not args.dry_run:
        note(args, f"worksheet: {path}; watching until every server of {provider.name} has it …")
        seen = await wait_for(context, sheet)
    document = worksheet_document(sheet, None if args.dry_run else path, seen)
    show(args, document, lambda screen: show_worksheet(document, screen))
    return OK
