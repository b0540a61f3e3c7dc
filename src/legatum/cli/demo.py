"""``legatum demo``"""

import argparse
import sys


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--folder", metavar="DIR", help="where to keep everything (default: a new folder here)")
    parser.add_argument("--json", action="store_true", help="a JSON document at the end; the tour goes to standard error")


def run(args: argparse.Namespace) -> int:
    from legatum.cli.main import main
    from legatum.demo.careless import careless_world
    from legatum.demo.keeping import shown_and_kept
    from legatum.demo.report import demo_document, show_demo, write_logs
    from legatum.demo.tour import DOMAIN, QUESTIONS, VISIT_EVERY, Tour, new_folder
    from legatum.demo.world_thread import WorldThread
    from legatum.views.document import json_text
    from legatum.views.screen import Screen

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
