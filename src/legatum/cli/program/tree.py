"""The commands as a tree, read off the parsers: for completion in shells, and for the manual page."""

import argparse
import importlib
from dataclasses import dataclass, field

from legatum.cli.program.parser import Parser, add_colour


@dataclass(frozen=True)
class Option:
    """``flags``: as they are typed; ``value``: what stands after it, empty for nothing; ``choices``: where only these
    may."""

    flags: tuple[str, ...]
    value: str
    choices: tuple[str, ...]
    help: str


@dataclass(frozen=True)
class Command:
    """``words``: by which it is called, after `legatum`; ``arguments``: what it is given, as usage shows it, with their
    choices."""

    words: tuple[str, ...]
    summary: str
    usage: str
    options: tuple[Option, ...]
    arguments: tuple[Option, ...] = ()
    below: tuple["Command", ...] = field(default=())

    @property
    def all(self) -> "list[Command]":
        """It, and those below it."""
        return [self, *(each for one in self.below for each in one.all)]


def command_tree(commands: dict[str, str], modules: dict[str, str]) -> Command:
    """``commands``: name → what it is for; ``modules``: its file, where that has another name. Loads all of them."""
    below = []
    for name, summary in commands.items():
        parser = Parser(prog=f"legatum {name}", description=summary)
        importlib.import_module(f"legatum.cli.{modules.get(name, name)}").configure(parser)
        add_colour(parser)
        below.append(_command((name,), summary, parser))
    top = (Option(("--help", "-h"), "", (), "show what there is"), Option(("--version",), "", (), "show the version"))
    return Command(
        (), "moves customer domains between registrars and authoritative DNS providers", "", top, (), tuple(below)
    )


def _command(words: tuple[str, ...], summary: str, parser: argparse.ArgumentParser) -> Command:
    options, arguments, below = [], [], list[Command]()
    for action in parser._actions:
        if isinstance(action, argparse._SubParsersAction):
            helps = {each.dest: each.help or "" for each in action._choices_actions}
            below += [_command((*words, name), helps.get(name, ""), each) for name, each in action.choices.items()]
        elif action.option_strings:
            options.append(_option(action, tuple(action.option_strings)))
        else:
            arguments.append(_option(action, ()))
    return Command(words, summary, parser.format_usage(), tuple(options), tuple(arguments), tuple(below))


def _option(action: argparse.Action, flags: tuple[str, ...]) -> Option:
    metavar = action.metavar or (action.dest.upper() if action.nargs != 0 else "")
    value = "" if action.nargs == 0 else " ".join(metavar) if isinstance(metavar, tuple) else metavar
    choices = tuple(map(str, action.choices)) if action.choices else ()
    return Option(flags, value, choices, (action.help or "").replace("%%", "%"))
