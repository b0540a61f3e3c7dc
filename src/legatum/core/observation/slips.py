"""What somebody typed into a form, beside what was meant: seen, not yet, or which slip it was."""

import difflib
from collections.abc import Collection

from legatum.core.records.name import Name, name_text


def slips(meant: Collection[Name], before: Collection[Name], seen: Collection[Name], domain: Name) -> list[str]:
    """What is wrong with the NS set ``seen``; empty when it is the one that was meant. ``before``: the set at the
    beginning.

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
            found.append(
                f"{text} has the domain name appended: a final dot is missing, or the page adds it; meant "
                f"was {name_text(guess)}"
            )
        elif guess is not None and name in old:
            found.append(f"{text} stands there: an old name, or a slip for {name_text(guess)}")
        elif guess is not None:
            found.append(f"{text} is mistyped: meant was {name_text(guess)}")
        else:
            found.append(f"the old name {text} is still there" if name in old else f"{text} was not meant at all")
    return found + [f"{name_text(name)} is missing" for name in missing if name not in guesses.values()]


def address_slips(meant: Collection[str], before: Collection[str], seen: Collection[str]) -> list[str]:
    """What is wrong with the addresses ``seen`` of a host; empty when they are those that were meant.

    As long as they are the old ones, and none of them is or looks like one that was meant, nobody has typed yet.
    """
    wanted, there = set(meant), set(seen)
    missing = sorted(wanted - there)
    guesses = {
        each: next(iter(difflib.get_close_matches(each, missing, 1, 0.75)), None) for each in sorted(there - wanted)
    }
    if there == set(before) and not (there & wanted or any(guesses.values())):
        return []
    found = []
    for address, guess in guesses.items():
        if guess is not None:
            found.append(f"{address} is mistyped: meant was {guess}")
        else:
            found.append(
                f"the old address {address} is still there" if address in before else f"{address} was not meant at all"
            )
    return found + [f"{address} is missing" for address in missing if address not in guesses.values()]


def ds_slips(meant: Collection[bytes], before: Collection[bytes], seen: Collection[bytes]) -> list[str]:
    """What is wrong with the DS set ``seen``, as rdata; empty when it is the one that was meant, or nobody has typed
    yet."""
    wanted, there, old = set(meant), set(seen), set(before)
    if there == old:
        return []
    missing = sorted(wanted - there)
    found = []
    for rdata in sorted(there - wanted):
        guess = next((each for each in missing if _is_close(rdata, each)), None)
        if guess is not None:
            found.append(f"{_ds_text(rdata)}: {_ds_slip(rdata, guess)}")
            missing.remove(guess)
        else:
            found.append(
                f"the old {_ds_text(rdata)} is still there"
                if rdata in old
                else f"{_ds_text(rdata)} was not meant at all"
            )
    return found + [f"{_ds_text(rdata)} is missing" for rdata in missing]


def _is_close(seen: bytes, meant: bytes) -> bool:
    """One field differs, or the digest is cut off or has slips in it."""
    fields = sum(seen[part] != meant[part] for part in (slice(0, 2), slice(2, 3), slice(3, 4)))
    if seen[4:] == meant[4:]:
        return True
    ratio = difflib.SequenceMatcher(None, seen[4:].hex(), meant[4:].hex(), autojunk=False).ratio()
    return fields == 0 and (meant[4:].startswith(seen[4:]) or ratio > 0.8)


def _ds_slip(seen: bytes, meant: bytes) -> str:
    if len(seen) < len(meant) and meant.startswith(seen):
        return f"the digest is cut off after {2 * len(seen[4:])} of {2 * len(meant[4:])} digits"
    for what, part in (("key tag", slice(0, 2)), ("algorithm", slice(2, 3)), ("digest type", slice(3, 4))):
        if seen[part] != meant[part]:
            return f"the {what} is {int.from_bytes(seen[part])}, meant was {int.from_bytes(meant[part])}"
    pairs = zip(seen[4:].hex(), meant[4:].hex(), strict=False)
    at = next((number for number, (one, other) in enumerate(pairs, 1) if one != other), len(seen[4:]) * 2)
    return f"the digest is mistyped from digit {at} on"


def _ds_text(rdata: bytes) -> str:
    return f"DS {int.from_bytes(rdata[:2])} {rdata[2]} {rdata[3]}"


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
