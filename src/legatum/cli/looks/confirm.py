"""``legatum confirm DOMAIN…``"""

import argparse
from typing import TYPE_CHECKING

from legatum.cli.looks.everywhere import add_viewpoints, look_everywhere, wants_viewpoints
from legatum.cli.looks.survey import add_service, require_service
from legatum.cli.program.common import FOUND, OK, add_common, note, remember, show, tell_under_way, with_outside
from legatum.cli.program.parser import number

if TYPE_CHECKING:
    from legatum.core.agreement.expected import Expected
    from legatum.core.agreement.verdict import Verdict
    from legatum.core.records.name import Name
    from legatum.views.look.confirm import ConfirmDocument
    from legatum.work.run_context import RunContext


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("domain", nargs="+", metavar="DOMAIN")
    add_expected(parser)
    parser.add_argument("--registrar", metavar="NAME", help="also what this registrar's account at the registry holds")
    parser.add_argument("--no-resolvers", action="store_true", help="leave the resolvers of the settings alone")
    parser.add_argument("--no-rdap", action="store_true", help="leave registration data alone")
    add_service(parser)
    add_viewpoints(parser)
    add_common(parser)


def add_expected(parser: argparse.ArgumentParser) -> None:
    """What should be; without any of these, that everybody agrees with the parent."""
    wanted = parser.add_mutually_exclusive_group()
    wanted.add_argument("--ns", metavar="NAME,…", help="the NS set that everybody should have")
    wanted.add_argument("--to", metavar="PROVIDER", help="the NS set of this provider of the settings")
    wanted.add_argument("--move", action="store_true", help="what the domain's move leads to")
    parser.add_argument(
        "--ds",
        action="append",
        metavar="DS",
        help="a DS that the parent should have: TAG ALGORITHM TYPE DIGEST, or none",
    )
    parser.add_argument(
        "--serial", type=number(0, 2**32 - 1), metavar="N", help="every server has this serial or a newer one"
    )
    parser.add_argument(
        "--record", action="append", metavar="'NAME TYPE DATA'", help="a record that every server and resolver gives"
    )
    parser.add_argument(
        "--since", metavar="WHEN", help="when the change was made: RFC 3339, or how long ago, such as 5m"
    )


def expected_of(args: argparse.Namespace, context: "RunContext", domain: "Name") -> "Expected":
    """Raises :class:`BadInput`."""
    from dataclasses import replace

    from legatum.core.agreement.expected import Expected, parse_ds_text, parse_records
    from legatum.core.calendar.duration import parse_duration
    from legatum.core.calendar.instant import parse_instant_or_age
    from legatum.core.records.name import typed_host
    from legatum.core.running.fault import BadInput

    expected = Expected(publishing=parse_duration(context.settings.house.patience))
    if args.move:
        from legatum.work.moves.expectation import expected_of_move

        expected = expected_of_move(context, domain)
    elif args.to:
        expected = replace(expected, ns=tuple(sorted(context.provider(args.to).servers)))
    elif args.ns:
        expected = replace(expected, ns=tuple(sorted(typed_host(text.strip(), domain) for text in args.ns.split(","))))
    if args.ds:
        none = [text for text in args.ds if text.strip().lower() == "none"]
        if none and len(args.ds) > 1:
            raise BadInput("--ds none and another --ds", "either the parent has DS records or it has none")
        expected = replace(expected, ds=() if none else tuple(sorted(parse_ds_text(text) for text in args.ds)))
    since = parse_instant_or_age(args.since, context.clock.now()) if args.since else expected.since
    return replace(
        expected, serial=args.serial, records=expected.records + parse_records(args.record or (), domain), since=since
    )


def run(args: argparse.Namespace) -> int:
    from legatum.core.records.name import parse_domain

    domains = [parse_domain(text) for text in args.domain]
    require_service(args)

    async def work(context: "RunContext") -> int:
        documents = [await _one(args, context, domain) for domain in domains]
        if args.json:
            from legatum.views.look.confirm import ConfirmListDocument

            show(args, documents[0] if len(documents) == 1 else ConfirmListDocument(verdicts=documents), lambda _: None)
        return OK if all(document.confirmed for document in documents) else FOUND

    return with_outside(args, work)


async def _one(args: argparse.Namespace, context: "RunContext", domain: "Name") -> "ConfirmDocument":
    from dataclasses import replace

    from legatum.core.house.everywhere import of_verdict
    from legatum.core.records.name import name_text
    from legatum.views.look.confirm import confirm_document, show_confirm
    from legatum.work.look.asking.wanted import Wanted
    from legatum.work.verdicts.confirm import confirm

    wanted = Wanted(resolvers=not args.no_resolvers, rdap=not args.no_rdap)
    service = (args.before or "") if args.service else None
    expected = expected_of(args, context, domain)
    verdict, found = await confirm(context, domain, expected, args.registrar, wanted, service)
    remember(args, context, [(found.observation, None)])
    tell_under_way(args, context, found.observation.domain)
    if found.asked_for is not None:
        note(args, f"{name_text(domain)} lies in {name_text(found.observation.domain)}: that is looked at")
    if args.verbose:
        note(args, f"{name_text(domain)}: {found.observation.questions} questions")
    everywhere = None
    if wants_viewpoints(args):
        from legatum.work.afar.remote_tasks import confirm_there

        values = (domain, expected, replace(wanted, rdap=False))
        everywhere = await look_everywhere(args, context, verdict, confirm_there, values, of_verdict, _verdict)
    document = confirm_document(verdict, everywhere)
    if not args.json:
        show(args, document, lambda screen: show_confirm(verdict, everywhere, screen))
    return document


def _verdict(verdict: "Verdict") -> tuple[bool, str]:
    from legatum.views.look.confirm import verdict_lines

    return verdict.confirmed, verdict_lines(verdict)[0]
