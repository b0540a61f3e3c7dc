"""``legatum ds show / derive / submit / exchange / withdraw DOMAIN``: the chain of trust, and the short ways to change it"""

import argparse
from typing import TYPE_CHECKING

from legatum.cli.common import FOUND, OK, add_common, show, with_outside
from legatum.cli.moving import add_going, draft_and_go
from legatum.cli.wishes import add_exchange_ways

if TYPE_CHECKING:
    from legatum.core.moves.wishes import Wishes
    from legatum.core.records.name import Name
    from legatum.work.outside import Outside


def configure(parser: argparse.ArgumentParser) -> None:
    actions = parser.add_subparsers(dest="action", required=True, metavar="ACTION")
    shown = actions.add_parser("show", help="the chain of trust from the root down, at every server")
    derived = actions.add_parser("derive", help="the DS records of the keys that the zone is signed with, in all forms")
    submitted = actions.add_parser("submit", help="a first DS: once whatever anybody holds of the zone is signed")
    exchanged = actions.add_parser("exchange", help="another key, and a DS for it in the place of the old one")
    withdrawn = actions.add_parser("withdraw", help="no DS any more; the signing stays until nobody asks for it")
    for action in (shown, derived, submitted, exchanged, withdrawn):
        action.add_argument("domain", metavar="DOMAIN")
    derived.add_argument("--key", metavar="FILE|DATA", help="from this key instead: a file with a DNSKEY record, or its data")
    for action in (submitted, exchanged):
        action.add_argument(
            "--ds", metavar="DATA", action="append", default=[], help="just this record: key tag, algorithm, digest type, digest"
        )
    add_exchange_ways(exchanged)
    for action in (submitted, exchanged, withdrawn):
        action.add_argument("--registrar", default="", metavar="NAME", help="where it is registered (default: the account that has it)")
        action.add_argument("--at", default="", metavar="PROVIDER", help="who signs it (default: as the delegation shows)")
        action.add_argument("--publishing", default="1h", metavar="DURATION", help="how long the registry may take, for the forecast")
        add_going(action)
    for action in (shown, derived, submitted, exchanged, withdrawn):
        add_common(action)


def run(args: argparse.Namespace) -> int:
    ways = {"show": _show, "derive": _derive}
    return with_outside(args, lambda outside: ways.get(args.action, _change)(args, outside))


async def _show(args: argparse.Namespace, outside: "Outside") -> int:
    from legatum.core.dnssec.chain import State
    from legatum.core.records.name import parse_domain
    from legatum.views.chain import chain_document, show_chain
    from legatum.work.look.chain import chain_of

    chain, now = await chain_of(outside, parse_domain(args.domain)), outside.clock.now()
    document = chain_document(chain, now)
    show(args, document, lambda screen: show_chain(document, now, screen))
    return FOUND if chain.state in (State.BROKEN, State.UNKNOWN) else OK


async def _derive(args: argparse.Namespace, outside: "Outside") -> int:
    from legatum.core.records.name import parse_domain
    from legatum.views.ds_forms import derived_document, show_derived
    from legatum.work.registry.deriving import keys_of_text, keys_on_the_wire

    domain = parse_domain(args.domain)
    keys = keys_of_text(args.key, domain) if args.key else await keys_on_the_wire(outside, domain)
    document = derived_document(domain, keys)
    show(args, document, lambda screen: show_derived(document, screen))
    return OK


async def _change(args: argparse.Namespace, outside: "Outside") -> int:
    from legatum.core.records.name import parse_domain

    return await draft_and_go(args, outside, _wish(args, outside, parse_domain(args.domain)))


def _wish(args: argparse.Namespace, outside: "Outside", domain: "Name") -> "Wishes":
    from legatum.cli.wishes import ds_records
    from legatum.core.duration import parse_duration
    from legatum.core.moves.wishes import Wishes

    return Wishes(
        domain=domain, old=args.at, registrar=args.registrar, sign=args.action == "submit", exchange=args.action == "exchange",
        unsign=args.action == "withdraw", ds=ds_records(getattr(args, "ds", [])), low_ttl=parse_duration(outside.settings.house.low_ttl),
        publishing=parse_duration(args.publishing), anyway=args.anyway, way=getattr(args, "way", ""),
        algorithm=getattr(args, "algorithm", 0),
    )  # fmt: skip
