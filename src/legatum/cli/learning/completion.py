"""``legatum completion SHELL``"""

import argparse
import sys


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("shell", choices=("bash", "zsh", "fish"), metavar="SHELL", help="bash, zsh or fish")


def run(args: argparse.Namespace) -> int:
    from legatum.cli.program.main import COMMANDS, MODULES
    from legatum.cli.program.tree import command_tree
    from legatum.views.completion import bash, fish, zsh

    tree = command_tree(COMMANDS, MODULES)
    entries = [
        (
            each.words,
            [name.words[-1] for name in each.below],
            [(option.flags, option.value, option.choices, option.help) for option in each.options],
            [argument.choices for argument in each.arguments if argument.choices],
        )
        for each in tree.all
    ]
    sys.stdout.write(
        {"bash": bash, "zsh": zsh, "fish": fish}[args.shell](entries, {each.words: each.summary for each in tree.all})
    )
    return 0
