"""What may have been meant by a word that is not known."""

import difflib
from collections.abc import Iterable

_ALIKE = 0.6


def proposal(typed: str, known: Iterable[str], most: int = 2) -> str:
    """``; did you mean survey?``, or nothing where nothing is near."""
    near = nearest(typed, known, most)
    return f"; did you mean {' or '.join(near)}?" if near else ""


def nearest(typed: str, known: Iterable[str], most: int = 2) -> list[str]:
    """The likest first; letters count whatever their case."""
    by_lower = {each.lower(): each for each in known}
    return [by_lower[each] for each in difflib.get_close_matches(typed.lower(), by_lower, n=most, cutoff=_ALIKE)]
