"""``legatum registration renew`` and ``restore``"""

import argparse
from collections.abc import Iterator
from typing import TYPE_CHECKING, Any

from legatum.cli.common import agreed, with_outside
from legatum.cli.registration.ending import document_of, end

if TYPE_CHECKING:
    from legatum.work.outside import Outside


def configure(actions: Any) -> Iterator[tuple[argparse.ArgumentParser, bool]]:
    renewal = actions.add_parser("renew", help="renew the registration")
    renewal.add_argument("--years", type=int, default=1, metavar="N", help="for how long (default: 1)")
    restoration = actions.add_parser("restore", help="have a deleted domain back within its redemption period")
    restoration.add_argument("--reason", required=True, metavar="TEXT", help="for the report that the registry asks for")
    for parser in (renewal, restoration):
        parser.add_argument("domain", metavar="DOMAIN")
        parser.add_argument("--registrar", metavar="NAME", required=True, help="a registrar of the settings")
        yield parser, True


def run(args: argparse.Namespace) -> int:
    return with_outside(args, lambda outside: (_renew if args.action == "renew" else _restore)(args, outside))


async def _renew(args: argparse.Namespace, outside: "Outside") -> int:
    from legatum.core.fault import BadInput
    from legatum.core.name import parse_domain
    from legatum.work.registration import renew

    domain, registrar, years = parse_domain(args.domain), outside.registrar(args.registrar), args.years
    if not 1 <= years <= 10:
        raise BadInput(f"{years} years", "a registration is renewed for 1 to 10 years")
    expires = (await registrar.registration(domain)).expires
    document = document_of(args, domain, registrar, [expires], [f"{years} more"])
    document.state = "shown" if args.dry_run else "declined"
    if agreed(args, f"{args.domain} at {registrar.name} expires:", [f"{expires} → {years} year{'s' if years > 1 else ''} later"]):
        outcome, until = await renew(outside, registrar, domain, years)
        document.state, document.said, document.new = "changed", outcome.summary, [until]
    return end(args, document)


async def _restore(args: argparse.Namespace, outside: "Outside") -> int:
    from legatum.core.name import parse_domain
    from legatum.work.registration import restore

    domain, registrar = parse_domain(args.domain), outside.registrar(args.registrar)
    held = await registrar.registration(domain)
    old = [*held.statuses, *held.grace]
    document = document_of(args, domain, registrar, old, ["restored"])
    document.state = "shown" if args.dry_run else "declined"
    if agreed(args, f"{args.domain} at {registrar.name}, old → new:", [f"{', '.join(old)} → restored, in the zone again"]):
        outcome, now = await restore(outside, registrar, domain, args.reason)
        document.state, document.said, document.new = "changed", outcome.summary, [*now.statuses, *now.grace]
    return end(args, document)
