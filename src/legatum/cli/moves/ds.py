"""``legatum ds show / derive / submit / exchange / withdraw DOMAIN``: the chain of trust, and the short ways to change
it"""

import argparse
from typing import TYPE_CHECKING

from legatum.cli.moves.moving import add_going, draft_and_go
from legatum.cli.moves.wishes import add_exchange_ways, ds_records
from legatum.cli.program.common import FOUND, OK, add_common, add_registrar, remember_chain, show, with_outside

if TYPE_CHECKING:
    from legatum.core.moves.wishes import Wishes
    from legatum.core.records.name import Name
    from legatum.work.run_context import RunContext


def configure(parser: argparse.ArgumentParser) -> None:
    actions = parser.add_subparsers(dest="action", required=True, metavar="ACTION")
    shown = actions.add_parser("show", help="the chain of trust from the root down, at every server")
    derived = actions.add_parser("derive", help="the DS records of the keys that the zone is signed with, in all forms")
    submitted = actions.add_parser("submit", help="a first DS: once whatever anybody holds of the zone is signed")
    exchanged = actions.add_parser("exchange", help="another key, and a DS for it in the place of the old one")
    withdrawn = actions.add_parser("withdraw", help="no DS any more; the signing stays until nobody asks for it")
    for action in (shown, derived, submitted, exchanged, withdrawn):
        action.add_argument("domain", metavar="DOMAIN")
    source = derived.add_mutually_exclusive_group()
    source.add_argument(
        "--key", metavar="FILE|DATA", help="from this key instead: a file with a DNSKEY record, or its data"
    )
    source.add_argument(
        "--cds", action="store_true", help="those that the zone asks its parent for, by CDS and CDNSKEY records"
    )
    for action in (submitted, exchanged, withdrawn):
        action.add_argument(
            "--cds", action="store_true", help="just what the zone asks for, as a registry that reads CDS would"
        )
    for action in (submitted, exchanged):
        action.add_argument(
            "--ds",
            metavar="DATA",
            action="append",
            default=[],
            help="just this record: key tag, algorithm, digest type, digest",
        )
    add_exchange_ways(exchanged)
    for action in (submitted, exchanged, withdrawn):
        add_registrar(action)
        action.add_argument(
            "--at", default="", metavar="PROVIDER", help="who signs it (default: as the delegation shows)"
        )
        action.add_argument(
            "--publishing", default="1h", metavar="DURATION", help="how long the registry may take, for the forecast"
        )
        add_going(action)
    for action in (shown, derived, submitted, exchanged, withdrawn):
        add_common(action)


def run(args: argparse.Namespace) -> int:
    ways = {"show": _show, "derive": _derive}
    return with_outside(args, lambda context: ways.get(args.action, _change)(args, context))


async def _show(args: argparse.Namespace, context: "RunContext") -> int:
    from legatum.core.dnssec.chain import State
    from legatum.core.records.name import parse_domain
    from legatum.views.look.chain import chain_document, show_chain
    from legatum.work.look.chain import chain_of

    chain, now = remember_chain(args, context, await chain_of(context, parse_domain(args.domain))), context.clock.now()
    document = chain_document(chain, now)
    show(args, document, lambda screen: show_chain(document, now, screen))
    return FOUND if chain.state in (State.BROKEN, State.UNKNOWN) else OK


async def _derive(args: argparse.Namespace, context: "RunContext") -> int:
    from legatum.core.dnssec.keytext import keys_of_lines
    from legatum.core.records.name import parse_domain
    from legatum.views.registry.ds_forms import asked_document, derived_document, show_asked, show_derived
    from legatum.work.registry.deriving import asked_on_the_wire, keys_on_the_wire

    domain = parse_domain(args.domain)
    if args.cds:
        request, doubt = await asked_on_the_wire(context, domain)
        told = asked_document(domain, request, doubt)
        show(args, told, lambda screen: show_asked(told, screen))
        return FOUND if doubt else OK
    keys = keys_of_lines(text_of(args.key), args.key) if args.key else await keys_on_the_wire(context, domain)
    document = derived_document(domain, keys)
    show(args, document, lambda screen: show_derived(document, screen))
    return OK


def text_of(given: str) -> str:
    """A file's contents, or the text itself."""
    from pathlib import Path

    path = Path(given)
    return path.read_text(encoding="utf-8") if path.is_file() else given


async def _requested(args: argparse.Namespace, context: "RunContext", domain: "Name") -> tuple[str, ...]:
    """The DS records that the zone asks for. Raises :class:`GateShut` where that is nobody's word, or something else is
    wanted."""
    from legatum.core.records.name import name_text
    from legatum.core.running.fault import GateShut
    from legatum.work.registry.deriving import asked_on_the_wire

    request, doubt = await asked_on_the_wire(context, domain)
    text = name_text(domain)
    if doubt:
        raise GateShut(
            doubt, f"compare what `legatum ds derive {text} --cds` shows with the provider's pages; then without --cds"
        )
    if request.removes != (args.action == "withdraw"):
        if request.removes:
            raise GateShut(f"{text} asks for the DS set to be removed", f"`legatum ds withdraw {text} --cds` does that")
        raise GateShut(f"{text} asks for {'; '.join(request.records)}", f"`legatum ds submit {text} --cds` does that")
    return request.records


async def _change(args: argparse.Namespace, context: "RunContext") -> int:
    from legatum.core.records.name import parse_domain

    domain = parse_domain(args.domain)
    records = await _requested(args, context, domain) if args.cds else ds_records(getattr(args, "ds", []))
    return await draft_and_go(args, context, _wish(args, context, domain, records))


def _wish(args: argparse.Namespace, context: "RunContext", domain: "Name", records: tuple[str, ...]) -> "Wishes":
    from legatum.core.calendar.duration import parse_duration
    from legatum.core.moves.wishes import Wishes

    return Wishes(
        domain=domain,
        old=args.at,
        registrar=args.registrar,
        sign=args.action == "submit",
        exchange=args.action == "exchange",
        unsign=args.action == "withdraw",
        ds=records,
        low_ttl=parse_duration(context.settings.house.low_ttl),
        publishing=parse_duration(args.publishing),
        anyway=args.anyway,
        way=getattr(args, "way", ""),
        algorithm=getattr(args, "algorithm", 0),
    )
