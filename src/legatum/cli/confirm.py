"""``legatum confirm DOMAIN…``"""

import argparse
from typing import TYPE_CHECKING

from legatum.cli.common import FOUND, OK, add_common, note, show, with_outside

if TYPE_CHECKING:
    from legatum.core.name import Name
    from legatum.views.confirm import ConfirmDocument
    from legatum.work.outside import Outside


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("domain", nargs="+", metavar="DOMAIN")
    wanted = parser.add_mutually_exclusive_group()
    wanted.add_argument("--ns", metavar="NAME,…", help="the NS set that everybody should have (default: that all agree with the parent)")
    wanted.add_argument("--to", metavar="PROVIDER", help="the NS set of this provider of the settings")
    parser.add_argument("--registrar", metavar="NAME", help="also what this registrar's account at the registry holds")
    parser.add_argument("--no-resolvers", action="store_true", help="leave the resolvers of the settings alone")
    add_common(parser)


def run(args: argparse.Namespace) -> int:
    from legatum.core.name import parse_domain

    domains = [parse_domain(text) for text in args.domain]
    expected = tuple(sorted(parse_domain(text.strip()) for text in args.ns.split(","))) if args.ns else None

    async def work(outside: "Outside") -> int:
        wanted = tuple(sorted(outside.provider(args.to).servers)) if args.to else expected
        documents = [await _one(args, outside, domain, wanted) for domain in domains]
        if args.json:
            from legatum.views.confirm import ConfirmListDocument

            show(args, documents[0] if len(documents) == 1 else ConfirmListDocument(verdicts=documents), lambda _: None)
        return OK if all(document.confirmed for document in documents) else FOUND

    return with_outside(args, work)


async def _one(args: argparse.Namespace, outside: "Outside", domain: "Name", expected: "tuple[Name, ...] | None") -> "ConfirmDocument":
    from legatum.core.name import name_text
    from legatum.core.verdict import agreement
    from legatum.views.confirm import confirm_document, show_confirm
    from legatum.work.look.wanted import Wanted
    from legatum.work.survey import survey

    found = await survey(outside, domain, args.registrar, Wanted(resolvers=not args.no_resolvers))
    if args.verbose:
        note(args, f"{name_text(domain)}: {found.picture.questions} questions")
    verdict = agreement(found.picture, expected)
    document = confirm_document(verdict)
    if not args.json:
        show(args, document, lambda screen: show_confirm(verdict, screen))
    return document
