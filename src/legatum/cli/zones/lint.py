"""``legatum lint PLACE…``"""

import argparse
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from legatum.cli.program.common import FOUND, OK, add_common, show, with_outside
from legatum.cli.program.progress import bar

if TYPE_CHECKING:
    from legatum.views.zones.lint import LintDocument
    from legatum.work.run_context import RunContext
    from legatum.work.zones.lint import Linted


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument(
        "place", nargs="+", metavar="PLACE", help="a master file, a provider of the settings, or server:ADDRESS"
    )
    parser.add_argument("--domain", metavar="DOMAIN", help="which zone; a file says it itself")
    parser.add_argument(
        "--against", metavar="PLACE", help="another copy of the zone: names that only one of the two has"
    )
    add_common(parser)


def run(args: argparse.Namespace) -> int:
    from legatum.core.records.name import parse_domain
    from legatum.work.gathering.contents import is_file

    domain = parse_domain(args.domain) if args.domain else None
    if all(is_file(place) for place in args.place) and not args.against:
        from legatum.work.zones.lint import lint_file

        home = _home(args)
        with bar(args):
            checked = [lint_file(Path(place), domain, home) for place in args.place]
        return _finish(args, checked)

    async def work(context: "RunContext") -> int:
        from legatum.work.gathering.contents import contents_of, domain_of
        from legatum.work.zones.lint import lint_file, lint_zone

        home = tuple(context.settings.network.home)
        origin = domain or next(
            (domain_of(Path(place)) for place in (*args.place, args.against or "") if place and is_file(place)), None
        )
        found = []
        with bar(args):
            other = (await contents_of(context, args.against, origin)).zone if args.against else None
            for place in args.place:
                if is_file(place) and place not in context.providers:
                    found.append(lint_file(Path(place), origin, home, other))
                else:
                    contents = await contents_of(context, place, origin)
                    found.append(lint_zone(contents.zone, contents.source, home, other))
        return _finish(args, found)

    return with_outside(args, work)


def _home(args: argparse.Namespace) -> tuple[str, ...]:
    """The ranges that count as public here. Files can be checked without settings."""
    from legatum.settings.reading import find_settings, read_settings

    return tuple(read_settings(find_settings(args.settings)).network.home)


def _finish(args: argparse.Namespace, found: "list[Linted]") -> int:
    from legatum.views.zones.lint import LintListDocument, lint_document, show_lint

    documents: list[LintDocument] = [lint_document(each) for each in found]
    if args.json:
        show(args, documents[0] if len(documents) == 1 else LintListDocument(zones=documents), lambda _: None)
    else:
        for document in documents:
            show(args, document, partial(show_lint, document))
    return OK if all(document.good for document in documents) else FOUND
