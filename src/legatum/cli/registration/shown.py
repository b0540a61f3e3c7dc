"""``legatum registration show`` and ``check``"""

import argparse
from collections.abc import Iterator
from typing import TYPE_CHECKING, Any

from legatum.cli.program.common import FOUND, OK, show, with_outside

if TYPE_CHECKING:
    from legatum.work.run_context import RunContext


def configure(actions: Any) -> Iterator[tuple[argparse.ArgumentParser, bool]]:
    shown = actions.add_parser("show", help="what account and RDAP say, beside what is published")
    shown.add_argument("domain", metavar="DOMAIN")
    shown.add_argument("--registrar", metavar="NAME", help="a registrar of the settings")
    shown.add_argument(
        "--code", metavar="REFERENCE", help="where the authorisation code is, to see another registrar's domain by it"
    )
    yield shown, False
    check = actions.add_parser("check", help="which domains could be registered")
    check.add_argument("domains", metavar="DOMAIN", nargs="+")
    check.add_argument("--registrar", metavar="NAME", required=True, help="whose registry is asked")
    yield check, False


def run(args: argparse.Namespace) -> int:
    return with_outside(args, lambda context: (_check if args.action == "check" else _show)(args, context))


async def _show(args: argparse.Namespace, context: "RunContext") -> int:
    from legatum.core.records.name import parse_domain
    from legatum.views.registry.registration import registration_document, show_registration
    from legatum.work.registry.registration import look_at_sides

    domain = parse_domain(args.domain)
    registrar = context.registrar(args.registrar) if args.registrar else None
    code = context.secret(args.code) if args.code else ""
    document = registration_document(await look_at_sides(context, domain, registrar, code))
    show(args, document, lambda screen: show_registration(document, screen))
    return OK if document.agreed else FOUND


async def _check(args: argparse.Namespace, context: "RunContext") -> int:
    from legatum.core.records.name import parse_domain
    from legatum.views.registry.registration import availability_document, show_availability

    domains = [parse_domain(text) for text in args.domains]
    document = availability_document(args.registrar, await context.registrar(args.registrar).availability(domains))
    show(args, document, lambda screen: show_availability(document, screen))
    return OK
