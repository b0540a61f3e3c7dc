"""``legatum registration renew`` and ``restore``"""

import argparse
from collections.abc import Iterator
from typing import TYPE_CHECKING, Any

from legatum.cli.program.common import add_registrar, agreed, with_outside
from legatum.cli.registration.each import RegistrationChange, add_domains, carry_out
from legatum.cli.registration.ending import document_of, end

if TYPE_CHECKING:
    from legatum.core.records.name import Name
    from legatum.services.registrar import Registrar
    from legatum.work.run_context import RunContext


def configure(actions: Any) -> Iterator[tuple[argparse.ArgumentParser, bool]]:
    renewal = actions.add_parser("renew", help="renew the registration")
    add_domains(renewal)
    term = renewal.add_mutually_exclusive_group()
    term.add_argument("--years", type=int, default=1, metavar="N", help="for how long (default: 1)")
    term.add_argument("--until", metavar="DATE", help="as many years as it takes to reach this date, YYYY-MM-DD")
    yield renewal, True
    restoration = actions.add_parser("restore", help="have a deleted domain back within its redemption period")
    restoration.add_argument(
        "--reason", required=True, metavar="TEXT", help="for the report that the registry asks for"
    )
    restoration.add_argument("domain", metavar="DOMAIN")
    add_registrar(restoration)
    yield restoration, True


def run(args: argparse.Namespace) -> int:
    return with_outside(args, lambda context: (_renew if args.action == "renew" else _restore)(args, context))


async def _renew(args: argparse.Namespace, context: "RunContext") -> int:
    from legatum.core.house.renewal import MOST_YEARS
    from legatum.core.running.fault import BadInput
    from legatum.work.registry.renewal import note_worksheet, plan_renewal, renew

    if not 1 <= args.years <= MOST_YEARS:
        raise BadInput(f"{args.years} years", f"a registration is renewed for 1 to {MOST_YEARS} years")

    async def look(registrar: "Registrar", domain: "Name") -> RegistrationChange:
        renewal = await plan_renewal(context, registrar, domain, args.years, args.until or "")

        async def do() -> tuple[str, list[str]]:
            outcome, until = await renew(context, registrar, renewal)
            return outcome.summary, [until]

        return RegistrationChange(
            domain,
            [renewal.expires],
            [renewal.until],
            do if renewal.years else None,
            [f"renew it for {renewal.words}"],
            lambda: note_worksheet(context, registrar, renewal),
            renewal.over,
        )

    return await carry_out(args, context, "date of expiry", look)


async def _restore(args: argparse.Namespace, context: "RunContext") -> int:
    from legatum.core.records.name import parse_domain
    from legatum.work.drafting.left_out import registrar_for
    from legatum.work.registry.registration import restore

    domain = parse_domain(args.domain)
    registrar = await registrar_for(context, domain, args.registrar)
    held = await registrar.registration(domain)
    old = [*held.statuses, *held.grace]
    document = document_of(args, domain, registrar, old, ["restored"])
    document.state = "shown" if args.dry_run else "declined"
    if agreed(
        args, f"{args.domain} at {registrar.name}, old → new:", [f"{', '.join(old)} → restored, in the zone again"]
    ):
        outcome, now = await restore(context, registrar, domain, args.reason)
        document.state, document.said, document.new = "changed", outcome.summary, [*now.statuses, *now.grace]
    return end(args, document)
