"""``legatum gather DOMAIN``"""

import argparse
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from legatum.cli.program.common import FOUND, OK, add_common, show, with_outside
from legatum.cli.program.progress import bar

if TYPE_CHECKING:
    from legatum.core.records.name import Name
    from legatum.core.records.rrset import RRset
    from legatum.core.zones.contents import Contents
    from legatum.net.gathering.ways import Tried
    from legatum.work.run_context import RunContext


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("domain", metavar="DOMAIN")
    source = parser.add_mutually_exclusive_group()
    source.add_argument(
        "--from", dest="source", metavar="PLACE",
        help="a provider of the settings, server:ADDRESS, or a master file (default: the servers it is delegated to)",
    )  # fmt: skip
    source.add_argument("--file", metavar="FILE", help="a master file, or rows pasted from a form or a mail")
    parser.add_argument(
        "--since",
        metavar="FILE",
        help="an earlier gathering: only what has changed since is fetched (IXFR), from --from",
    )
    parser.add_argument(
        "--way",
        action="append",
        choices=("transfer", "walk", "ask"),
        help="only this way, of those that servers leave open (repeatable)",
    )
    parser.add_argument(
        "--names", metavar="FILE", help="when asking by name: more names to ask for: one a line, or a zone"
    )
    parser.add_argument(
        "--like", metavar="DOMAIN", help="what is gathered is this domain's zone, with the name changed to DOMAIN"
    )
    parser.add_argument(
        "--out", metavar="FILE", help="where to write (default DOMAIN.zone here; - for standard output)"
    )
    parser.add_argument("--force", action="store_true", help="write over a file that is there already")
    add_common(parser)


def run(args: argparse.Namespace) -> int:
    from legatum.core.records.name import parse_domain
    from legatum.core.running.fault import BadInput
    from legatum.work.gathering.contents import read_file

    domain = parse_domain(args.domain)
    source = parse_domain(args.like) if args.like else domain
    if args.file:
        with bar(args):
            contents = read_file(Path(args.file), source)
        return _finish(args, domain, contents)
    if args.since and not args.source:
        raise BadInput(
            "--since needs a place to ask",
            "`legatum gather DOMAIN --since FILE --from PROVIDER`; or --from server:ADDRESS",
        )
    extra = _names(args, source)

    async def work(context: "RunContext") -> int:
        from legatum.work.memory import note_gathered

        with bar(args):
            contents, tried = await _gathered(args, context, source, extra)
        note_gathered(context, args.source if (args.source or "") in context.providers else "", contents.zone)
        return _finish(args, domain, contents, tried)

    return with_outside(args, work)


async def _gathered(
    args: argparse.Namespace, context: "RunContext", domain: "Name", extra: "list[Name]"
) -> "tuple[Contents, tuple[Tried, ...]]":
    from legatum.core.running.fault import OutsideFault
    from legatum.net.gathering.ways import WAYS, Tried
    from legatum.work.gathering.contents import contents_of, read_master_file
    from legatum.work.gathering.gather import changed_since, gather

    place = args.source
    ways = args.way or WAYS
    if args.since:
        return await changed_since(context, read_master_file(Path(args.since), domain), place), ()
    if place is None:
        return await gather(context, domain, ways, extra)
    if place.startswith("server:"):
        return await gather(context, domain, ways, extra, (place.removeprefix("server:"),))
    if place in context.providers:
        provider = context.provider(place)
        tried: list[Tried] = []
        if provider.hands_out and "transfer" in ways:
            # With the key of the settings, from where the settings say: its servers would refuse a stranger.
            try:
                return await contents_of(context, place, domain), ()
            except OutsideFault as fault:
                if not args.way or list(ways) == ["transfer"]:
                    raise
                tried.append(Tried("transfer", fault.message))
        others = [way for way in ways if way != "transfer"] if provider.hands_out else ways
        contents, more = await gather(context, domain, others, extra, await context.addresses_of(provider.servers))
        return contents, (*tried, *more)
    return await contents_of(context, place, domain), ()


def _names(args: argparse.Namespace, origin: "Name") -> "list[Name]":
    """The names of ``--names``, within the zone: one a line, or those of a master file."""
    from contextlib import suppress

    from legatum.core.records.name import is_under, name_text, typed_name
    from legatum.core.running.fault import BadInput
    from legatum.work.gathering.contents import read_file
    from legatum.work.listing import read_rows

    if not args.names:
        return []
    if Path(args.names).is_file():
        with suppress(BadInput):  # then it is a list
            return sorted({each.name for each in read_file(Path(args.names), origin).zone.unsorted})
    names = []
    for row in read_rows(args.names):
        try:
            name = typed_name(row.cells[0], origin)
        except BadInput as fault:
            raise BadInput(f"{args.names}:{row.number}: {fault.message}", fault.remedy) from None
        if not is_under(name, origin):
            remedy = "names are relative to the zone unless they end in its name"
            raise BadInput(f"{args.names}:{row.number}: {name_text(name)} is not in the zone", remedy)
        names.append(name)
    return names


def _finish(args: argparse.Namespace, domain: "Name", contents: "Contents", tried: "Sequence[Tried]" = ()) -> int:
    from dataclasses import replace

    from legatum.core.records.name import name_text
    from legatum.core.running.fault import BadInput
    from legatum.core.zones.masterlines import master_text
    from legatum.net.file import write_whole
    from legatum.views.zones.gather import gather_document, show_gather
    from legatum.work.gathering.contents import zone_file

    left: Sequence[RRset] = ()
    signed: Sequence[RRset] = ()
    copied_from = contents.zone.origin if args.like else None
    if args.like:
        from legatum.core.zones.changing.renaming import renamed
        from legatum.core.zones.signer import signers_own, without_signing

        signed = signers_own(contents.zone)
        try:
            zone, left = renamed(without_signing(contents.zone), domain)
        except ValueError as error:
            raise BadInput(f"{args.domain}: {error}", "choose a shorter name") from None
        contents = replace(contents, zone=zone, way=f"{contents.way} of {args.like}, the name changed")
    zone = contents.zone
    comment = f"{name_text(zone.origin)}, gathered from {contents.source} ({contents.way}), serial {zone.soa.serial}"
    with bar(args):
        text = master_text(zone, [comment, f"{contents.completeness.degree}: {contents.completeness.because}"])
    if args.out == "-":
        sys.stdout.write(text)
        return OK
    path = Path(args.out or zone_file(zone.origin))
    if path.exists() and not args.force:
        raise BadInput(f"{path} is there already", "give another place with --out, or --force to write over it")
    write_whole(path, text)
    document = gather_document(contents, str(path), tried, copied_from, left, signed)
    show(args, document, lambda screen: show_gather(document, screen))
    return FOUND if document.completeness in ("counted", "a sample") else OK
