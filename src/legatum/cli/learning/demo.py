"""``legatum demo``"""

import argparse
import sys


def configure(parser: argparse.ArgumentParser) -> None:
    from legatum.demo.kinds import ONE_WAY, WISHES

    parser.add_argument("--folder", metavar="DIR", help="where to keep everything (default: a new folder here)")
    parser.add_argument(
        "--kind", metavar="KIND", help=f"one kind of move alone, there and back: {', '.join((*WISHES, *ONE_WAY))}"
    )
    parser.add_argument(
        "--json", action="store_true", help="a JSON document at the end; the tour goes to standard error"
    )


def run(args: argparse.Namespace) -> int:
    from legatum.cli.program.main import main
    from legatum.demo.careless import careless_world
    from legatum.demo.keeping import shown_and_kept
    from legatum.demo.report import demo_document, show_demo, write_logs
    from legatum.demo.tour import DOMAIN, QUESTIONS, VISIT_EVERY, Tour, new_folder
    from legatum.demo.world_thread import WorldThread
    from legatum.views.document import json_text
    from legatum.views.screen import Screen

    if args.kind:
        return _kind(args)
    folder = new_folder(args.folder)
    with (
        (folder / "tour.txt").open("w", encoding="utf-8") as kept,
        shown_and_kept(sys.stderr if args.json else sys.stdout, kept),
        WorldThread(folder) as practice,
    ):
        status = Tour(practice, folder, main).go()
        careless = careless_world(folder / "careless", DOMAIN, VISIT_EVERY, QUESTIONS)
        document = demo_document(practice.world, careless, DOMAIN, folder)
        write_logs(practice.world, folder)
        show_demo(document, Screen())
    if args.json:
        sys.stdout.write(json_text(document))
    return status


def _kind(args: argparse.Namespace) -> int:
    from legatum.cli.program.main import main
    from legatum.core.running.fault import BadInput
    from legatum.demo.keeping import shown_and_kept
    from legatum.demo.kinds import ONE_WAY, WISHES, show_kind
    from legatum.demo.tour import new_folder
    from legatum.demo.world_thread import WorldThread

    if args.kind not in (*WISHES, *ONE_WAY):
        raise BadInput(f"no kind '{args.kind}'", f"there are: {', '.join((*WISHES, *ONE_WAY))}")
    if args.json:
        raise BadInput("a kind by itself has no document", "leave --json out; each command that it shows has one")
    folder = new_folder(args.folder)
    with (
        (folder / "tour.txt").open("w", encoding="utf-8") as kept,
        shown_and_kept(sys.stdout, kept),
        WorldThread(folder) as practice,
    ):
        return show_kind(practice, folder, args.kind, main)
