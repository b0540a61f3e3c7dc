"""What may have been meant by a word that is not known."""

from collections.abc import Iterable

_ALIKE = 0.6


def proposal(typed: str, known: Iterable[str], most: int = 2) -> str:
    """``; did you mean survey?``, or nothing where nothing is near."""
    near = nearest(typed, known, most)
    return f"; did you mean {' or '.join(near)}?" if near else ""


def as_written(word: str, known: Iterable[str]) -> str:
    """The one of the known that is the word but for capitals; the word itself where it is one, or none is."""
    names = list(known)
    return word if word in names else next((each for each in names if each.casefold() == word.casefold()), word)


def nearest(typed: str, known: Iterable[str], most: int = 2) -> list[str]:
    """The likest first; letters count whatever their case."""
    import difflib  # where something was mistyped

    by_lower = {each.lower(): each for each in known}
    return [by_lower[each] for each in difflib.get_close_matches(typed.lower(), by_lower, n=most, cutoff=_ALIKE)]
