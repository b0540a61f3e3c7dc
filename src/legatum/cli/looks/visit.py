"""``legatum visit DOMAIN…``"""

import argparse
from pathlib import Path
from typing import TYPE_CHECKING

from legatum.cli.looks.everywhere import add_viewpoints, look_everywhere, wants_viewpoints
from legatum.cli.moves.wishes import canonical_address, replaced
from legatum.cli.program.common import FOUND, OK, add_common, note, show, with_outside

if TYPE_CHECKING:
    from legatum.core.records.name import Name
    from legatum.core.service.seen import Visit
    from legatum.views.look.visit import VisitDocument
    from legatum.work.run_context import RunContext
    from legatum.work.services.visit import NewPlaces


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("domain", nargs="+", metavar="DOMAIN")
    add_places(parser)
    parser.add_argument(
        "--replace", action="append", metavar="OLD=NEW", help="whatever is at OLD now, at NEW too; as for moves"
    )
    parser.add_argument("--name", action="append", metavar="NAME", help="a further site below the domain, such as shop")
    add_visiting(parser)
    parser.add_argument("--html", metavar="FILE", help="a page in one file")
    add_viewpoints(parser)
    add_common(parser)


def add_places(parser: argparse.ArgumentParser) -> None:
    parser.add_argument(
        "--web-at",
        action="append",
        metavar="ADDRESS",
        help="a new address of the site, that the DNS does not lead to yet",
    )
    parser.add_argument("--mail-at", action="append", metavar="ADDRESS", help="the same for its mail servers")


def add_visiting(parser: argparse.ArgumentParser) -> None:
    parser.add_argument(
        "--authority", metavar="FILE", help="certificates to trust instead of those of the settings, or the system's"
    )


def run(args: argparse.Namespace) -> int:
    from legatum.core.records.name import parse_domain

    domains = [parse_domain(text) for text in args.domain]

    async def work(context: "RunContext") -> int:
        documents = [await _one(args, context, domain) for domain in domains]
        if args.html:
            from legatum.views.look.visit import write_visit

            write_visit(Path(args.html), documents)
            note(args, f"page: {args.html}")
        if args.json:
            from legatum.views.look.visit import VisitListDocument

            show(args, documents[0] if len(documents) == 1 else VisitListDocument(visits=documents), lambda _: None)
        return OK if all(document.good for document in documents) else FOUND

    return with_outside(args, work)


async def _one(args: argparse.Namespace, context: "RunContext", domain: "Name") -> "VisitDocument":
    from msgspec import structs

    from legatum.core.service import judge_visit, worse
    from legatum.views.look.visit import show_visit, visit_document
    from legatum.work.services.visit import trusted_file, visit

    places = new_places(args, domain)
    found = await visit(context, domain, places, args.authority)
    document = visit_document(found, judge_visit(found), worse(found))
    if wants_viewpoints(args):
        from legatum.core.house.everywhere import of_visit
        from legatum.views.everywhere import with_everywhere
        from legatum.work.afar.remote_tasks import visit_there

        trusted = trusted_file(context, args.authority)
        values = (domain, places, Path(trusted).read_text(encoding="utf-8") if trusted else "")
        everywhere = await look_everywhere(args, context, found, visit_there, values, of_visit, _verdict)
        document = structs.replace(with_everywhere(document, everywhere), good=document.good and everywhere.good)
    if not args.json:
        show(args, document, lambda screen: show_visit(document, screen))
    return document


def _verdict(seen: "Visit") -> tuple[bool, str]:
    from legatum.core.service import judge_visit, worse
    from legatum.views.look.visit import visit_document

    document = visit_document(seen, judge_visit(seen), worse(seen))
    return document.good, document.verdict


def new_places(args: argparse.Namespace, domain: "Name") -> "NewPlaces":
    """Raises :class:`BadInput`."""
    from legatum.core.records.name import typed_name
    from legatum.work.services.visit import NewPlaces

    instead = {each.old: each.new for each in map(replaced, getattr(args, "replace", None) or ())}
    names = tuple(typed_name(text, domain) for text in getattr(args, "name", None) or ())
    web, mail = (tuple(map(canonical_address, each or ())) for each in (args.web_at, args.mail_at))
    return NewPlaces(web, mail, instead, names=names)
