"""What came of trying one thing that the settings say."""

import os
import shutil
from collections.abc import Callable, Coroutine, Sequence
from dataclasses import dataclass
from enum import StrEnum
from pathlib import Path
from typing import Any

from legatum.core.running.fault import Fault


class State(StrEnum):
    WORKS = "works"
    FAILS = "does not work"
    UNKNOWN = "not known"


@dataclass(frozen=True)
class Checked:
    """``table``: of the settings, such as ``providers.alder``; ``key``: the line in it; ``what`` was tried, and what
    was ``said``; ``remedy``: what to do where it does not work, or is not known. ``ahead``: by how many seconds a clock
    over there is ahead of this one, where it was told."""

    table: str
    key: str
    what: str
    state: State
    said: str
    remedy: str = ""
    ahead: float | None = None


Check = Coroutine[Any, Any, list[Checked]]


def works(table: str, key: str, what: str, said: str, ahead: float | None = None) -> Checked:
    return Checked(table, key, what, State.WORKS, said, ahead=ahead)


def fails(table: str, key: str, what: str, said: str, remedy: str) -> Checked:
    return Checked(table, key, what, State.FAILS, said, remedy)


def unknown(table: str, key: str, what: str, said: str, remedy: str = "") -> Checked:
    return Checked(table, key, what, State.UNKNOWN, said, remedy)


async def tried(table: str, key: str, what: str, trying: Callable[[], Coroutine[Any, Any, Checked]]) -> Checked:
    """A fault is what does not work."""
    try:
        return await trying()
    except Fault as fault:
        return fails(table, key, what, fault.message, fault.remedy)


def commands(table: str, given: dict[str, Sequence[str]]) -> list[Checked]:
    """Whether they could be run; none is. ``given``: key → the words of a command, empty where there is none."""
    found, there = [], dict[str, list[str]]()
    for key, words in given.items():
        if words and shutil.which(words[0]) is None:
            why = "may not be run" if Path(words[0]).exists() else "is not there"
            found.append(
                fails(
                    table,
                    key,
                    f"command {key}",
                    f"{words[0]} {why}",
                    "give the program's whole path, or put it on the path",
                )
            )
        elif words:
            there.setdefault(words[0], []).append(key)
    for program, keys in there.items():
        what = f"command{'s' if len(keys) > 1 else ''} {', '.join(keys)}"
        found.append(works(table, keys[0], what, f"{program} is there; it was not run"))
    return found


def readable(table: str, key: str, what: str, path: Path) -> Checked:
    if os.access(path, os.R_OK):
        return works(table, key, what, f"{path} can be read")
    return fails(
        table,
        key,
        what,
        f"{path} {'may not be read' if path.exists() else 'is not there'}",
        "mend the path, or its rights",
    )
