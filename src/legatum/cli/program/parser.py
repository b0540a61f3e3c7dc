"""The parser of all commands: what is mistyped gets a proposal, and the usage of the command that it was given to."""

import argparse
import os
import re
from collections.abc import Callable, Iterable, Mapping
from typing import Any, NoReturn

from legatum.core.running.fault import BadInput
from legatum.core.text.nearest import proposal


class Parser(argparse.ArgumentParser):
    """Commands below it are of the same kind."""

    groups: Mapping[str, Iterable[str]] = {}
    """What the commands below it are for, and which those are; none for a list without an order."""
    _mixing = False

    def parse_known_args(self, args: Any = None, namespace: Any = None) -> Any:
        """Options may stand anywhere among the words. What a command does not know is its own error, not that of the
        parser above it."""
        if self._mixing or self._subparsers is not None:
            return super().parse_known_args(args, namespace)
        self._mixing = True
        try:
            found, strange = self.parse_known_intermixed_args(args, namespace)
        finally:
            self._mixing = False
        if strange:
            self.error(f"unrecognized arguments: {' '.join(strange)}")
        return found, strange

    def format_help(self) -> str:
        """With the commands by what they are for."""
        if not self.groups:
            return super().format_help()
        actions = [action for action in self._actions if isinstance(action, argparse._SubParsersAction)]
        commands = {each.dest: each for action in actions for each in action._choices_actions}
        formatter = self._get_formatter()
        formatter.add_usage(self.usage, self._actions, self._mutually_exclusive_groups)
        formatter.add_text(self.description)
        options = [action for action in self._actions if action.option_strings]
        for title, shown in [
            *((title, [commands[name] for name in names]) for title, names in self.groups.items()),
            ("options", options),
        ]:
            formatter.start_section(title)
            formatter.add_arguments(shown)
            formatter.end_section()
        formatter.add_text(self.epilog)
        return formatter.format_help()

    @property
    def flags(self) -> frozenset[str]:
        """Every option that it takes."""
        return frozenset(self._option_string_actions)

    def dest_of(self, flag: str) -> str:
        """What this option's value is called in the program."""
        return self._option_string_actions[flag].dest

    def is_switch(self, flag: str) -> bool:
        """Whether nothing stands after this option."""
        return self._option_string_actions[flag].nargs == 0

    def error(self, message: str) -> NoReturn:
        """Raises :class:`BadInput` that says what is wrong, and what may have been meant; of a wrong value nothing
        else."""
        fault = BadInput(f"{self.prog.partition(' ')[2] or 'legatum'}: {message}{self._proposal(message)}")
        fault.usage = "" if message.startswith("argument -") else self.format_usage()
        raise fault

    def _proposal(self, message: str) -> str:
        choice = re.search(r"invalid choice: '([^']*)' \(choose from (.*)\)", message)
        if choice:
            return proposal(choice[1], re.findall(r"[^', ]+", choice[2]))
        if re.search(r"unrecognized arguments: -(?!-)|expected one argument", message):
            return (
                "; what begins with a minus and is no option of this command stands after -- at the end, or "
                "as --option=-5"
            )
        strange = re.search(r"unrecognized arguments: (--\S+)", message)
        known = [option for action in self._actions for option in action.option_strings]
        return proposal(strange[1].partition("=")[0], known) if strange else ""


def number(least: int, most: int) -> Callable[[str], int]:
    """For an argument's ``type``: a whole number from ``least`` to ``most``."""

    def read(text: str) -> int:
        found = int(text) if re.fullmatch(r"[+-]?[0-9]{1,19}", text.strip()) else None
        if found is None or not least <= found <= most:
            raise argparse.ArgumentTypeError(f"{text[:40]!r} is no number from {least} to {most}")
        return found

    return read


def add_colour(parser: argparse.ArgumentParser) -> None:
    """An option that every command has, at whatever depth."""
    below = [
        each
        for action in parser._actions
        if isinstance(action, argparse._SubParsersAction)
        for each in action.choices.values()
    ]
    for each in below:
        add_colour(each)
    if not below:
        words = (
            "colours and bold letters: where a terminal shows them (auto), always or never; NO_COLOR stands for never"
        )
        parser.add_argument("--color", choices=("auto", "always", "never"), default="auto", help=words)


def obey_colour(wanted: str) -> None:
    """What is asked for on the line comes before what the environment says."""
    if wanted != "auto":
        for name in ("NO_COLOR", "FORCE_COLOR"):
            os.environ.pop(name, None)
        os.environ["FORCE_COLOR" if wanted == "always" else "NO_COLOR"] = "1"
