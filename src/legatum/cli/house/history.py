"""``legatum history DOMAIN…``"""

import argparse
import sys
from pathlib import Path
from typing import TYPE_CHECKING

from legatum.cli.program.common import OK, add_common, add_form, note, show, with_outside
from legatum.cli.program.parser import number

if TYPE_CHECKING:
    from legatum.core.records.name import Name
    from legatum.work.history import History
    from legatum.work.run_context import RunContext


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("domain", nargs="*", metavar="DOMAIN")
    parser.add_argument("--house", action="store_true", help="every domain that the journal knows of")
    parser.add_argument(
        "--since", metavar="WHEN", help="only what was done from then on: RFC 3339, or how long ago, such as 30d"
    )
    ways = parser.add_mutually_exclusive_group()
    ways.add_argument("--csv", action="store_true", help="what was done, as a table")
    ways.add_argument("--html", metavar="FILE", help="all of it as a page in one file")
    ways.add_argument(
        "--note",
        metavar="FILE",
        help="a letter to the customer: before and after, what there is to do (.html, .md, .txt)",
    )
    ways.add_argument(
        "--evidence",
        type=number(1, 2**63 - 1),
        metavar="ENTRY",
        help="the replies kept with an entry; survey --from FILE judges them",
    )
    ways.add_argument("--export", metavar="FILE", help="everything about the domain, for another journal")
    ways.add_argument("--import", dest="taken", metavar="FILE", help="take in what another journal put out")
    add_form(parser)
    parser.add_argument("--out", metavar="FILE", help="with --evidence: where to write them (default: standard output)")
    add_common(parser)


def run(args: argparse.Namespace) -> int:
    from legatum.core.running.fault import BadInput

    wants_none = args.evidence is not None or args.taken
    if wants_none and (args.domain or args.house):
        raise BadInput("--evidence and --import name their domain themselves", "leave the domain out")
    if not wants_none and bool(args.domain) == args.house:
        raise BadInput("history wants domains, or --house", "`legatum history DOMAIN`")
    if (args.note or args.export) and (args.house or len(args.domain) != 1):
        raise BadInput("--note and --export are of one domain", "name it")
    if args.out and args.evidence is None:
        raise BadInput("--out goes with --evidence", "leave it out")

    async def work(context: "RunContext") -> int:
        if args.evidence is not None:
            return _evidence(args, context)
        if args.taken:
            return _taken(args, context)
        return _told(args, context)

    return with_outside(args, work)


def _evidence(args: argparse.Namespace, context: "RunContext") -> int:
    from legatum.net.file import write_whole
    from legatum.net.keeping.recording import recording_text
    from legatum.work.history import evidence_of

    text = recording_text(evidence_of(context, args.evidence))
    if args.out:
        write_whole(Path(args.out), text)
        note(args, f"evidence: {args.out}")
    else:
        sys.stdout.write(text)
    return OK


def _taken(args: argparse.Namespace, context: "RunContext") -> int:
    from legatum.core.records.name import name_text
    from legatum.work.history import import_history

    domain, came, there = import_history(context, Path(args.taken))
    note(args, f"{name_text(domain)}: {came} entries taken in, {there} were there already")
    return _shown(args, context, [domain], None)


def _told(args: argparse.Namespace, context: "RunContext") -> int:
    from legatum.core.calendar.instant import parse_instant_or_age
    from legatum.core.records.name import parse_domain
    from legatum.work.history import export_history

    since = parse_instant_or_age(args.since, context.clock.now()) if args.since else None
    domains = None if args.house else [parse_domain(text) for text in args.domain]
    if args.export and domains:
        count = export_history(context, domains[0], Path(args.export))
        note(args, f"{args.export}: {count} entries")
        return OK
    return _shown(args, context, domains, since)


def _shown(args: argparse.Namespace, context: "RunContext", domains: "list[Name] | None", since: float | None) -> int:
    from functools import partial

    from legatum.views.moves.history import (
        HouseHistoryDocument,
        history_csv,
        history_document,
        show_history,
        write_history,
    )
    from legatum.work.history import history_of

    found = history_of(context, domains, since)
    documents = [history_document(each, since) for each in found]
    if args.note:
        _write_note(args, context, found[0])
        return OK
    if args.html:
        write_history(Path(args.html), documents)
        note(args, f"page: {args.html}")
    if args.csv:
        sys.stdout.write(history_csv(documents))
    elif args.json:
        show(
            args,
            documents[0] if len(documents) == 1 and not args.house else HouseHistoryDocument(histories=documents),
            lambda _: None,
        )
    elif not args.html:
        for document in documents:
            show(args, document, partial(show_history, document, whole=bool(args.verbose)))
    return OK


def _write_note(args: argparse.Namespace, context: "RunContext", found: "History") -> None:
    from legatum.views.letters.letter import form_of

    write_page(context, found, args.note, form_of(args.note, args.form))
    if args.note != "-":
        note(args, f"letter to the customer: {args.note}")


def write_page(context: "RunContext", found: "History", file: str, form: str = "html") -> None:
    """For the customer, in a folder that is made where it is not there."""
    from legatum.core.memory.history import Became
    from legatum.core.running.fault import BadInput
    from legatum.net.keeping.recording import recording_text
    from legatum.views.moves.history import write_note
    from legatum.work.history import evidence_of
    from legatum.work.under_way import pending_text

    proofs = [each.proof for each in found.acts if each.became in (Became.DONE, Became.SEEN) and each.proof is not None]
    evidence = {number: recording_text(evidence_of(context, number)) for number in proofs}
    path = Path(file)
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise BadInput(f"{path.parent}: {error.strerror}", "give a folder that can be written") from None
    house, pending = context.settings.house.operator, pending_text(context, found.domain)
    write_note(file, form, found, evidence, pending, house, context.letters, context.clock.now())
