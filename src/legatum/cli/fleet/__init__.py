"""``legatum fleet``: lists of domains. Looks at them (``looks.py``), and moves of them (``move.py``)."""

import argparse

from legatum.cli.fleet import looks, move


def configure(parser: argparse.ArgumentParser) -> None:
    actions = parser.add_subparsers(dest="action", required=True, metavar="ACTION")
    looks.configure(actions)
    move.configure(actions)


def run(args: argparse.Namespace) -> int:
    return move.run(args) if args.action == "move" else looks.run(args)
