"""``legatum journal state / copy / form``"""

import argparse
from pathlib import Path
from typing import TYPE_CHECKING

from legatum.cli.program.common import OK, SHUT, add_changing, add_common, agreed, show, with_outside

if TYPE_CHECKING:
    from legatum.work.run_context import RunContext


def configure(parser: argparse.ArgumentParser) -> None:
    actions = parser.add_subparsers(dest="action", required=True, metavar="ACTION")
    add_common(actions.add_parser("state", help="where it is and how much it holds"))
    copied = actions.add_parser(
        "copy", help="all of it, as it is at one moment: a backup, or from a file to a database and back"
    )
    copied.add_argument(
        "to", metavar="PLACE", help="a file that is not there yet, or postgresql://HOST/DATABASE with no journal in it"
    )
    add_common(copied)
    form = actions.add_parser("form", help="bring its tables to an earlier form, for an earlier version of the program")
    form.add_argument("number", metavar="NUMBER", type=int, help="of the form (docs/compatibility.md)")
    add_changing(form)
    add_common(form)


def run(args: argparse.Namespace) -> int:
    async def work(context: "RunContext") -> int:
        from legatum.views.journal import journal_document, show_journal

        journal, copied, to = context.journal, None, None
        form = journal.form()
        if args.action == "copy":
            copied, to = journal.copy_to(args.to, Path.cwd()), args.to
        if args.action == "form":
            lost = f"form {args.number} has no place for everything that form {form} keeps: that would be gone"
            if args.number < form and not agreed(args, f"journal {journal.place}", [lost, "make a copy of it before"]):
                return OK if args.dry_run else SHUT
            journal.bring_to(form := args.number)
        document = journal_document(journal, form, copied, to)
        show(args, document, lambda screen: show_journal(document, screen))
        return OK

    return with_outside(args, work)
