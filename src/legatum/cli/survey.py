"""``legatum survey DOMAIN…``"""

import argparse
from typing import TYPE_CHECKING

from legatum.cli.common import FOUND, OK, add_common, note, show, with_outside

if TYPE_CHECKING:
    from legatum.core.name import Name
    from legatum.views.survey import SurveyDocument
    from legatum.work.outside import Outside


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("domain", nargs="+", metavar="DOMAIN")
    parser.add_argument("--registrar", metavar="NAME", help="also what this registrar's account at the registry holds")
    parser.add_argument("--no-resolvers", action="store_true", help="leave the resolvers of the settings alone")
    add_common(parser)


def run(args: argparse.Namespace) -> int:
    from legatum.core.name import parse_domain

    domains = [parse_domain(text) for text in args.domain]

    async def work(outside: "Outside") -> int:
        documents = [await _one(args, outside, domain) for domain in domains]
        if args.json:
            from legatum.views.survey import SurveyListDocument

            show(args, documents[0] if len(documents) == 1 else SurveyListDocument(surveys=documents), lambda _: None)
        errors = any(finding.severity == "error" for document in documents for finding in document.findings)
        return FOUND if errors or not all(document.delegation for document in documents) else OK

    return with_outside(args, work)


async def _one(args: argparse.Namespace, outside: "Outside", domain: "Name") -> "SurveyDocument":
    from legatum.core.name import name_text
    from legatum.work.look.wanted import Wanted
    from legatum.work.survey import survey

    found = await survey(outside, domain, args.registrar, Wanted(resolvers=not args.no_resolvers))
    # The view is loaded only now: the first question should not wait for it.
    from legatum.views.survey import show_survey, survey_document

    if args.verbose:
        note(args, f"{name_text(domain)}: {found.picture.questions} questions")
    document = survey_document(found.picture, found.findings)
    if not args.json:
        show(args, document, lambda screen: show_survey(document, screen))
    return document
