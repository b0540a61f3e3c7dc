"""``legatum amend DOMAIN NAME TYPE DATA…``"""

import argparse
from typing import TYPE_CHECKING

from legatum.cli.program.common import (
    OK,
    SHUT,
    add_anyway,
    add_changing,
    add_common,
    add_provider,
    agreed,
    note,
    show,
    tell_how,
    with_outside,
)
from legatum.cli.program.parser import number

if TYPE_CHECKING:
    from legatum.core.zones.changing.amendment import Amendment
    from legatum.services.provider import Provider
    from legatum.work.run_context import RunContext


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("domain", metavar="DOMAIN")
    parser.add_argument("name", nargs="?", metavar="NAME", help="www, @ for the domain itself, or the whole name")
    parser.add_argument("type", nargs="?", metavar="TYPE", help="A, MX, TXT, …")
    parser.add_argument(
        "data", nargs="*", metavar="DATA", help="each record's data as a master file has it: '10 mail', '\"text\"'"
    )
    add_provider(parser)
    way = parser.add_mutually_exclusive_group()
    way.add_argument("--add", action="store_true", help="beside what is there (default: in its place)")
    way.add_argument("--drop", action="store_true", help="take these records out")
    way.add_argument("--clear", action="store_true", help="take the whole set out")
    way.add_argument(
        "--serial",
        type=number(1, 2**32 - 1),
        metavar="N",
        help="no record: take the zone to this serial, a lower one too",
    )
    parser.add_argument(
        "--ttl",
        metavar="DURATION",
        help="of the set (default: as it is, or as beside it); without DATA the TTL alone is changed",
    )
    parser.add_argument(
        "--instead", action="store_true", help="an alias at the name gives way to this, or what is there to an alias"
    )
    add_anyway(parser)
    add_changing(parser)
    add_common(parser)


def run(args: argparse.Namespace) -> int:
    from legatum.core.records.name import parse_domain
    from legatum.core.running.fault import BadInput

    domain = parse_domain(args.domain)
    if args.serial is not None:
        if args.name:
            raise BadInput("--serial takes no NAME", "change the record in a command of its own")
    elif not args.type or (args.data if args.clear else not args.data and (not args.ttl or args.add or args.drop)):
        raise BadInput(
            "amend wants NAME, TYPE and DATA, or NAME, TYPE and --clear or --ttl",
            "`legatum amend DOMAIN www A 198.51.100.80`",
        )

    async def work(context: "RunContext") -> int:
        from legatum.work.drafting.left_out import provider_for

        provider = await provider_for(context, domain, args.at)
        if provider.by_hand:
            raise BadInput(
                f"{provider.name} is changed by hand only",
                "`legatum publish DOMAIN --from FILE --to PROVIDER` makes a worksheet from a master file",
            )
        if args.serial is not None:
            return await _serial(args, context, provider)
        return await _records(args, context, provider, _amendment(args, domain))

    return with_outside(args, work)


def _amendment(args: argparse.Namespace, domain: bytes) -> "Amendment":
    from legatum.core.calendar.duration import parse_duration
    from legatum.core.records.name import Name, typed_name
    from legatum.core.records.rrtype import parse_type
    from legatum.core.zones.changing.amendment import Amendment

    way = "add" if args.add else "drop" if args.drop else "clear" if args.clear else "set" if args.data else "keep"
    ttl = parse_duration(args.ttl) if args.ttl else None
    return Amendment(
        typed_name(args.name, Name(domain)), parse_type(args.type), way, tuple(args.data), ttl, args.instead
    )


async def _records(
    args: argparse.Namespace, context: "RunContext", provider: "Provider", amendment: "Amendment"
) -> int:
    from legatum.core.records.name import parse_domain
    from legatum.views.zones.publish import change_lines, publish_document, show_publish
    from legatum.work.effect import found_done
    from legatum.work.zones.amend import also_named, draw_amendment, refuse_losses
    from legatum.work.zones.harm import refuse_harm
    from legatum.work.zones.publish import prove, publish

    publication = await draw_amendment(context, provider, parse_domain(args.domain), amendment)
    state, done = "unchanged", None
    if publication.is_needed:
        if not args.anyway:
            refuse_losses(publication, amendment)
            await refuse_harm(context, publication)
        if agreed(args, f"{args.domain} at {provider.name}, old → new:", change_lines(publication)):
            note(args, "publishing, then waiting until every server answers with the new serial …")
            state, done = "published", await publish(context, publication)
        else:
            state = "shown" if args.dry_run else "declined"
    else:
        done = await prove(context, publication, [(amendment.name, amendment.rtype)], 0 if args.dry_run else None)
        if not args.dry_run:
            found_done(context, publication.wanted.origin, "publish")
    document = publish_document(publication, state, done)
    tell_how(args, done)
    places, domain = (provider.name, *also_named(context, publication)), args.domain
    others = [f"`legatum compare {places[0]} {other} --domain {domain}`" for other in places[1:]]
    following = f"see whether who is named beside it has the same: {', '.join(others)}" if others else ""
    show(args, document, lambda screen: show_publish(document, screen, following))
    return SHUT if state == "declined" else OK


async def _serial(args: argparse.Namespace, context: "RunContext", provider: "Provider") -> int:
    from legatum.core.records.name import parse_domain
    from legatum.core.records.soa import serial_path
    from legatum.views.zones.publish import serial_document, show_publish
    from legatum.work.zones.amend import go_to_serial

    domain = parse_domain(args.domain)
    present = (await provider.fetch(domain)).soa.serial
    path = serial_path(present, args.serial)
    state = "unchanged"
    done = []
    if path:
        lines = [
            f"serial {old} → {new}, on every server before the next"
            for old, new in zip((present, *path), path, strict=False)
        ]
        if agreed(args, f"{args.domain} at {provider.name}:", lines):
            state, done = "published", await go_to_serial(context, provider, domain, args.serial)
        else:
            state = "shown" if args.dry_run else "declined"
    document = serial_document(domain, provider.name, state, done)
    show(args, document, lambda screen: show_publish(document, screen, ""))
    return SHUT if state == "declined" else OK
