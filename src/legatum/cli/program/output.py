"""Standard output that somebody may stop reading: the work goes on to its verdict, and the exit status is what it
found. Where it cannot be written for another reason, such as a full disk, the work goes on too, and that is told in the
end. In a locale that has no arrows and quotation marks there are plain ones."""

import codecs
import io
import os
import sys
from typing import Any, TextIO

_PLAIN = {
    "→": "->",
    "…": "...",
    "“": '"',
    "”": '"',
    "’": "'",
    "–": "-",
    "—": "-",
    "−": "-",
    "━": "-",
    "─": "-",
    "·": ".",
    "░": ".",
    "█": "#",
}
_LACKING = "legatum.lacking"


class _Output(io.FileIO):
    """A pipe or a file; what nobody reads any more, or nobody can keep, is dropped."""

    refused: OSError | None = None

    def write(self, data: Any) -> int:
        try:
            return super().write(data)
        except OSError as error:
            self.refused = error
            os.dup2(os.open(os.devnull, os.O_WRONLY), self.fileno())
            return memoryview(data).nbytes


def _instead(error: UnicodeError) -> tuple[str, int]:
    """For what the encoding lacks. Programs get JSON's own escapes, so that what they read is the same."""
    assert isinstance(error, UnicodeEncodeError)
    lacking = error.object[error.start : error.end]
    plain = {} if "--json" in sys.argv else _PLAIN
    return "".join(plain.get(each) or _escaped(each) for each in lacking), error.end


def _escaped(character: str) -> str:
    units = character.encode("utf-16-be", "surrogatepass")
    return "".join(f"\\u{high:02x}{low:02x}" for high, low in zip(units[::2], units[1::2], strict=True))


def take_over() -> None:
    """Puts it in the place of standard output and standard error. What the program was started without leads nowhere:
    otherwise the first file that is opened would get its number, and what is meant for nobody."""
    for number in range(3):
        try:
            os.fstat(number)
        except OSError:
            os.open(os.devnull, os.O_RDWR)  # takes the lowest number that is free
    codecs.register_error(_LACKING, _instead)
    sys.stdin = sys.stdin or io.TextIOWrapper(io.FileIO(0, closefd=False))
    sys.stdout, sys.stderr = _taken_over(sys.stdout, 1), _taken_over(sys.stderr, 2)


def _taken_over(stream: TextIO | None, number: int) -> TextIO:
    if stream is not None and stream.isatty():
        assert isinstance(stream, io.TextIOWrapper)
        stream.reconfigure(errors=_LACKING)
        return stream
    raw = io.BufferedWriter(_Output(number if stream is None else stream.fileno(), "w", closefd=False))
    return io.TextIOWrapper(
        raw, stream.encoding if stream is not None else None, errors=_LACKING, line_buffering=number == 2
    )


def abandoned() -> bool:
    """Nobody gets what is written."""
    return _refused() is not None


def lost() -> OSError | None:
    """Why what was written is not where it should be. To stop reading is everybody's own affair."""
    return None if isinstance(refused := _refused(), BrokenPipeError) else refused


def _refused() -> OSError | None:
    return getattr(getattr(getattr(sys.stdout, "buffer", None), "raw", None), "refused", None)
