"""``legatum registration transfer``: to another registrar, as a runbook for ``legatum move``; ``answer``: to somebody
else's request"""

import argparse
from collections.abc import Iterator
from typing import TYPE_CHECKING, Any

from legatum.cli.moves.moving import drafted, present
from legatum.cli.program.common import add_registrar, agreed, note, with_outside
from legatum.cli.registration.ending import document_of, end

if TYPE_CHECKING:
    from legatum.work.run_context import RunContext


def configure(actions: Any) -> Iterator[tuple[argparse.ArgumentParser, bool]]:
    parser = actions.add_parser("transfer", help="draft the runbook that leads to another registrar, the DNS untouched")
    parser.add_argument("domain", metavar="DOMAIN")
    add_registrar(parser)
    parser.add_argument("--registrar-to", required=True, metavar="NAME", help="the account that it goes to")
    parser.add_argument(
        "--code",
        default="",
        metavar="REFERENCE",
        help=(
            "where the authorisation code is: env:NAME, file:PATH, keyring:NAME or prompt (default: fetched "
            "from the losing account)"
        ),
    )
    parser.add_argument(
        "--approve", action="store_true", help="approve it at the losing account instead of waiting up to five days"
    )
    parser.add_argument(
        "--years", type=int, choices=(0, 1), default=1, help="years that the transfer adds (default: 1)"
    )
    parser.add_argument(
        "--registrant", default="", metavar="CONTACT", help="the gaining registrar's contact to put in afterwards"
    )
    yield parser, False
    answer = actions.add_parser("answer", help="let a domain go that another registrar asks for, or keep it")
    answer.add_argument("domain", metavar="DOMAIN")
    answer.add_argument("words", choices=("approve", "reject"), help="approve: it goes at once; reject: it stays")
    answer.add_argument("--registrar", metavar="NAME", required=True, help="the losing one, of the settings")
    yield answer, True


def run(args: argparse.Namespace) -> int:
    return with_outside(args, lambda context: (_answer if args.action == "answer" else _transfer)(args, context))


async def _answer(args: argparse.Namespace, context: "RunContext") -> int:
    from legatum.core.records.name import parse_domain
    from legatum.core.running.fault import GateShut
    from legatum.work.effect import carried_out

    domain, registrar = parse_domain(args.domain), context.registrar(args.registrar)
    standing = await registrar.transfer_state(domain)
    if not registrar.by_hand and (standing is None or not standing.pending):
        raise GateShut(
            f"no transfer of {args.domain} is pending",
            f"`legatum registration queue --registrar {registrar.name}` shows what the registry has told",
        )
    who = standing.asking if standing else "somebody"
    goes = args.words == "approve"
    document = document_of(args, domain, registrar, [f"asked for by {who}"], [f"goes to {who}" if goes else "stays"])
    document.state = "shown" if args.dry_run else "declined"
    if agreed(args, f"{args.domain} at {registrar.name}, which {who} asks for:", [document.new[0]]):
        outcome = await carried_out(
            context,
            domain,
            args.words,
            f"{args.words} the transfer to {who}",
            lambda: registrar.transfer(domain, args.words),
        )
        document.state, document.said = "changed", outcome.summary
    return end(args, document)


async def _transfer(args: argparse.Namespace, context: "RunContext") -> int:
    from legatum.core.moves.wishes import TransferWish, Wishes
    from legatum.core.records.name import parse_domain
    from legatum.work.drafting.left_out import registrar_for

    domain = parse_domain(args.domain)
    note(args, "looking at the registration …")
    losing = (await registrar_for(context, domain, args.registrar)).name
    gaining = context.registrar(args.registrar_to).name
    transfer = TransferWish(domain, losing, gaining, args.code, args.approve, args.years, args.registrant)
    runbook, path = await drafted(args, context, Wishes(domain=domain, registrar=losing, transfer=transfer))
    return present(args, context, runbook, path, {})
