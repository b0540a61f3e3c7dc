"""The parser of all commands: what is mistyped gets a proposal, and the usage of the command that it was given to."""

import argparse
import difflib
import re
from collections.abc import Iterable
from typing import Any, NoReturn

from legatum.core.fault import BadInput


class Parser(argparse.ArgumentParser):
    """Commands below it are of the same kind."""

    _mixing = False

    def parse_known_args(self, args: Any = None, namespace: Any = None) -> Any:
        """Options may stand anywhere among the words. What a command does not know is its own error, not that of the parser above it."""
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

    def error(self, message: str) -> NoReturn:
        """Raises :class:`BadInput` that says what is wrong, and what may have been meant."""
        fault = BadInput(f"{self.prog.partition(' ')[2] or 'legatum'}: {message}{self._proposal(message)}")
        fault.usage = self.format_usage()
        raise fault

    def _proposal(self, message: str) -> str:
        choice = re.search(r"invalid choice: '([^']*)' \(choose from (.*)\)", message)
        if choice:
            return proposal(choice[1], re.findall(r"[^', ]+", choice[2]))
        if re.search(r"unrecognized arguments: -(?!-)|expected one argument", message):
            return "; what begins with a minus and is no option of this command stands after -- at the end, or as --option=-5"
        strange = re.search(r"unrecognized arguments: (--\S+)", message)
        known = [option for action in self._actions for option in action.option_strings]
        return proposal(strange[1].partition("=")[0], known) if strange else ""


def proposal(typed: str, known: Iterable[str]) -> str:
    """``; did you mean survey?``, or nothing where nothing is near."""
    near = difflib.get_close_matches(typed, list(known), n=2, cutoff=0.6)
    return f"; did you mean {' or '.join(near)}?" if near else ""
