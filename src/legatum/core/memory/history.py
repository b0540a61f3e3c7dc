"""What was done to a domain, from the lines of a journal: who did what when, old → new, and what shows it."""

import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from typing import Any

INTENT, OUTCOME, FORGOTTEN, AGAIN, FAILED, SENT, REFUSED = (
    "intent",
    "outcome",
    "forgotten",
    "again",
    "failed",
    "sent",
    "refused",
)
BY_HAND = "by_hand"
"""Among the facts of what failed: only a person can do it."""
KINDS = frozenset((INTENT, OUTCOME, FORGOTTEN, AGAIN, FAILED, SENT, REFUSED))
_LINE = re.compile(r"(?P<what>.+?): (?P<before>.*?) → (?P<after>.*)")
_NOTHING = "nothing"


@dataclass(frozen=True, slots=True)
class Entry:
    """One line of the journal. ``who``: did it, empty where that was not kept yet; ``changes``: old → new, a line each;
    ``facts``: of an outcome; ``replies``: how many are kept with it."""

    number: int
    move: str
    domain: str
    step: str
    kind: str
    at: float
    text: str
    who: str = ""
    changes: tuple[str, ...] = ()
    facts: Mapping[str, Any] = field(default_factory=dict)
    replies: int = 0


class Became(StrEnum):
    """What became of something that was begun."""

    DONE = "done"
    FAILED = "failed"
    OPEN = "begun, and not known to have ended"
    SEEN = "seen"
    UNDONE = "undone"
    AGAIN = "to be done again"
    SENT = "sent"
    REFUSED = "refused"


@dataclass(frozen=True, slots=True)
class Act:
    """One thing that was done, or looked at: from ``begun`` to ``ended``, in seconds since 1970. ``first``,
    ``everywhere``: from when on the first and all servers showed it; ``what``: was intended; ``said``: what was seen;
    ``proof``: the entry with the replies that show it, None where none are kept."""

    domain: str
    who: str
    became: Became
    what: str
    said: str
    changes: tuple[str, ...]
    begun: float
    ended: float | None
    first: float | None = None
    everywhere: float | None = None
    move: str = ""
    step: str = ""
    proof: int | None = None
    replies: int = 0


@dataclass(frozen=True, slots=True)
class Changed:
    """Something before and after, in words; empty for nothing."""

    what: str
    before: str
    after: str


def acts(entries: Iterable[Entry]) -> list[Act]:
    """Intents and what became of them, as one; oldest first."""
    found: list[Act] = []
    open_at: dict[tuple[str, str, str], int] = {}
    for each in entries:
        key = (each.domain, each.move, each.step)
        if each.kind == INTENT:
            open_at[key] = len(found)
            found.append(
                Act(
                    each.domain,
                    each.who,
                    Became.OPEN,
                    each.text,
                    "",
                    each.changes,
                    each.at,
                    None,
                    None,
                    None,
                    each.move,
                    each.step,
                )
            )
        elif each.kind in (OUTCOME, FAILED):
            at = open_at.pop(key, None)
            begun = found[at] if at is not None else None
            ended = _ended(each, begun)
            if at is None:
                found.append(ended)
            else:
                found[at] = ended
        else:
            became = {FORGOTTEN: Became.UNDONE, AGAIN: Became.AGAIN, REFUSED: Became.REFUSED}.get(
                each.kind, Became.SENT
            )
            what, said = (each.step, each.text) if became == Became.REFUSED else (each.text, "")
            found.append(
                Act(each.domain, each.who, became, what, said, (), each.at, each.at, None, None, each.move, each.step)
            )
    return found


def _ended(each: Entry, begun: Act | None) -> Act:
    became = Became.FAILED if each.kind == FAILED else Became.DONE if begun is not None else Became.SEEN
    return Act(
        each.domain,
        each.who or (begun.who if begun else ""),
        became,
        begun.what if begun else each.step,
        each.text,
        begun.changes if begun else each.changes,
        begun.begun if begun else each.at,
        each.at,
        each.facts.get("first"),
        each.facts.get("all"),
        each.move,
        each.step,
        each.number if each.replies else None,
        each.replies,
    )


def before_and_after(done: Sequence[Act]) -> list[Changed]:
    """What all that was done came to: of each thing the first state and the last one, where these differ. A zone's own
    numbers are left out."""
    lines = (line for act in done if act.became == Became.DONE for line in act.changes)
    read = [found for line in lines if (found := _LINE.fullmatch(line)) is not None]
    return before_and_after_of([(each["what"], _some(each["before"]), _some(each["after"])) for each in read])


def before_and_after_of(lines: Iterable[tuple[str, str, str]]) -> list[Changed]:
    """The same of what, before and after, in the order of time."""
    found: dict[str, Changed] = {}
    for what, before, after in lines:
        found[what] = Changed(what, found[what].before if what in found else before, after)
    return [
        each
        for each in found.values()
        if _data(each.before) != _data(each.after) and not each.what.endswith((" SOA", "serial"))
    ]


def _some(text: str) -> str:
    return "" if text.strip() in (_NOTHING, "") else text.strip()


def _data(text: str) -> str:
    """Without the TTL in front: that it is another one for a while is no change to anybody."""
    return re.sub(r"^\d+ ", "", text)
