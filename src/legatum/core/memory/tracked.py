"""Names that have the addresses of another one, as the journal remembers it: no alias may stand there, so they are
looked after."""

from collections.abc import Iterable
from typing import NamedTuple

from legatum.core.memory.given import Given, GivenSet
from legatum.core.records.name import Name, absolute_text, parse_name
from legatum.core.records.rrtype import ALIAS

FOLLOWS = "follows"  # the place of such entries


class TrackedName(NamedTuple):
    """``target``: whose addresses the name is to have."""

    name: Name
    target: Name


def seen_tracked(name: Name, target: Name) -> GivenSet:
    return GivenSet(FOLLOWS, name, ALIAS, 0, absolute_text(target))


def tracked_names(memory: Iterable[Given]) -> list[TrackedName]:
    """The last of each name."""
    rows = {
        each.name: TrackedName(each.name, parse_name(each.data))
        for each in memory
        if each.place == FOLLOWS and each.gone is None
    }
    return list(rows.values())
