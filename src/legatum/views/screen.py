"""The terminal, or whatever standard output is: colour and width from it, plain text when piped.

Everything shown goes through :func:`clean`, so that no text from the network can steer a terminal.
"""

import os
import sys
import textwrap
from collections.abc import Iterable, Sequence
from typing import IO, TYPE_CHECKING, Literal

from legatum.core.calendar.instant import for_people
from legatum.core.text.printable import clean

if TYPE_CHECKING:
    from rich.console import Console

_PIPED_WIDTH = 100_000  # nothing is wrapped for a program that reads it
GOOD, BAD, DOUBT, QUIET, STRONG = "green", "bold red", "yellow", "dim", "bold"


def console(file: IO[str] | None = None, width: int | None = None) -> "Console":
    """With the terminal's colours; under NO_COLOR none, and no bold or faint letters either."""
    from rich.console import Console  # here and below: what writes for programs alone starts without it

    colours: Literal["auto"] | None = None if os.environ.get("NO_COLOR") else "auto"
    return Console(file=file, width=width, color_system=colours, highlight=False, markup=False, emoji=False)


class Screen:
    """Lines and tables on standard output."""

    def __init__(self, file: IO[str] | None = None) -> None:
        """``file``: instead of standard output."""
        out = file or sys.stdout
        width = None if out.isatty() else _PIPED_WIDTH
        self._console = console(out, width)

    def line(self, text: object = "", style: str = "", indent: int = 0) -> None:
        """``indent``: how far the second and following lines of a long text stand in."""
        from rich.text import Text

        width = self._console.width
        shown = for_people(clean(text))
        if indent and len(shown) > width:
            shown = "\n".join(textwrap.wrap(shown, width, subsequent_indent=" " * indent, break_on_hyphens=False))
        self._console.print(Text(shown, style=style))

    def raw(self, text: str) -> None:
        """Text that programs read: written as it is, without wrapping."""
        sys.stdout.write(text if text.endswith("\n") else text + "\n")

    def verdict(self, good: bool, text: str, following: str) -> None:
        """The first two lines of every output: the verdict, and what to do next."""
        self.line(text, GOOD + " bold" if good else BAD)
        self.line(f"Next: {following}" if following else "Next: nothing to do")

    def untouched(self, text: str) -> None:
        """The first two lines of a dry run; ``text``: what would be done."""
        self.verdict(True, f"{text}; nothing was touched", "without --dry-run it is done")

    def declined(self, what: str) -> None:
        """The first two lines after a no."""
        self.verdict(
            False, f"{what}: declined, nothing was changed", "the same command, and yes or --yes, when it shall be done"
        )

    def ended(self, state: str, good: bool, text: str, following: str) -> None:
        """The first two lines where one yes is for several things. ``state``: ``shown``, ``declined``, or anything else
        for done."""
        if state == "shown" and good:
            self.untouched(text)
        elif state == "shown":
            self.verdict(good, f"{text}; nothing was touched", following)
        elif state == "declined":
            self.declined(text)
        else:
            self.verdict(good, text, following)

    def gap(self) -> None:
        """Between what was told on the way and the result, where both are on one terminal."""
        if self._console.is_terminal:
            self.line()

    def heading(self, text: str) -> None:
        self.line()
        self.line(text, STRONG)

    def table(self, columns: Sequence[str], rows: Iterable[Sequence[object]], styles: Iterable[str] = ()) -> None:
        """``styles``: one for each row, empty for the usual."""
        from rich import box
        from rich.table import Table
        from rich.text import Text

        table = Table(box=box.SIMPLE_HEAD, pad_edge=False, show_edge=False, header_style="dim")
        for column in columns:
            table.add_column(Text(column), overflow="fold")
        row_styles = iter(styles)
        for row in rows:
            table.add_row(*(Text(for_people(clean(cell))) for cell in row), style=next(row_styles, ""))
        self._console.print(table)

    def pairs(self, rows: Iterable[tuple[str, object]]) -> None:
        """Names and values, a line each."""
        from rich.table import Table
        from rich.text import Text

        table = Table(box=None, show_header=False, pad_edge=False)
        table.add_column(style="dim", no_wrap=True)
        table.add_column(overflow="fold")
        for name, value in rows:
            table.add_row(Text(name), Text(for_people(clean(value))))
        self._console.print(table)
