"""What somebody typed into a form, beside what was meant: seen, not yet, or which slip it was."""

import difflib
from collections.abc import Collection

from legatum.core.name import Name, name_text


def slips(meant: Collection[Name], before: Collection[Name], seen: Collection[Name], domain: Name) -> list[str]:
    """What is wrong with the NS set ``seen``; empty when it is the one that was meant. ``before``: the set at the beginning.

    As long as the set is the old one, and nothing in it looks like what was meant, nobody has typed yet.
    """
    found = []
    wanted, there, old = set(meant), set(seen), set(before)
    missing = sorted(wanted - there)
    guesses = {name: _meant_by(name, missing, domain) for name in sorted(there - wanted)}
    if there == old and not any(guesses.values()):
        return []
    for name, guess in guesses.items():
        text = name_text(name)
        if guess is not None and _is_doubled(name, guess, domain):
            found.append(f"{text} has the domain hung on: a final dot is missing, or the page adds it; meant was {name_text(guess)}")
        elif guess is not None and name in old:
            found.append(f"{text} stands there: an old name, or a slip for {name_text(guess)}")
        elif guess is not None:
            found.append(f"{text} is mistyped: meant was {name_text(guess)}")
        else:
            found.append(f"the old name {text} is still there" if name in old else f"{text} was not meant at all")
    return found + [f"{name_text(name)} is missing" for name in missing if name not in guesses.values()]


def _meant_by(name: Name, missing: list[Name], domain: Name) -> Name | None:
    """Which of the names that are missing somebody may have meant."""
    doubled = next((each for each in missing if _is_doubled(name, each, domain)), None)
    if doubled is not None:
        return doubled
    texts = {name_text(each): each for each in missing}
    close = difflib.get_close_matches(name_text(name), texts, 1, 0.8)
    return texts[close[0]] if close else None


def _is_doubled(name: Name, meant: Name, domain: Name) -> bool:
    return name == meant[:-1] + domain
