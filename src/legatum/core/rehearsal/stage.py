"""What the servers say, over time: a runbook's steps as changes of contents.

Contents are constant between changes. A change reaches the first server of a group at one instant and the last one at another;
in between either answer may be had, so the two *periods* overlap. Before the runbook everything was as it was observed, for
ever; after it everything stays.
"""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import Any, Generic, TypeVar

from legatum.core.runbook import Runbook, Standing

FOREVER = float("inf")
_V = TypeVar("_V")


class Which(StrEnum):
    """The two NS sets of a move, and the two groups of servers that they name."""

    OLD = "old"
    NEW = "new"


class Content(StrEnum):
    """What a group of servers has for the domain."""

    NOTHING = "not served"
    BLANK = "an empty zone"
    WHOLE = "the whole zone"


@dataclass(frozen=True, slots=True)
class NsSet:
    """An NS set as it is handed out; ``ttl`` in seconds."""

    which: Which
    ttl: int


@dataclass(frozen=True, slots=True)
class Period(Generic[_V]):
    """From the first server that says so to the last one that does; ``step`` began it, empty for the beginning."""

    begins: float
    ends: float
    value: _V
    step: str = ""


@dataclass(frozen=True, slots=True)
class Stage:
    """Everything that servers say from before the runbook to after it.

    ``delegation``: of the parent's servers; ``apex`` and ``content``: of each group; ``hosts_known``: from when on the new name
    servers' addresses were there, and ``host_negative_ttl`` how long *no such name* was kept before; ``lag``: seconds from
    an answer given to its copy's beginning; ``floor``: the least time that caches keep a copy.
    """

    delegation: tuple[Period[NsSet], ...]
    apex: dict[Which, tuple[Period[NsSet], ...]]
    content: dict[Which, tuple[Period[Content], ...]]
    hosts_known: float
    host_negative_ttl: int
    lag: int
    floor: int

    def lasts(self, ttl: int) -> int:
        """How long a copy may be used after the last moment at which its answer was given."""
        return max(ttl, self.floor) + self.lag


class _Track(Generic[_V]):
    """One attribute over time."""

    def __init__(self, value: _V) -> None:
        self._periods = [Period(-FOREVER, FOREVER, value)]

    @property
    def value(self) -> _V:
        return self._periods[-1].value

    def change(self, first: float, everywhere: float, value: _V, step: str) -> None:
        last = self._periods[-1]
        self._periods[-1] = Period(last.begins, everywhere, last.value, last.step)
        self._periods.append(Period(first, FOREVER, value, step))

    @property
    def periods(self) -> tuple[Period[_V], ...]:
        return tuple(each for each in self._periods if each.begins < each.ends)


def build_stage(runbook: Runbook, standings: Sequence[Standing]) -> Stage:
    """The stage of a runbook carried out as ``standings`` say."""
    premises = runbook.premises
    parent_ttl, apex_ttl = int(premises["parent_ttl"]), int(premises["apex_ns_ttl"])
    start = _beginning(premises)
    delegation = _Track(NsSet(start.delegated, parent_ttl))
    apex = {
        Which.OLD: _Track(NsSet(start.old_apex, start.old_apex_ttl or apex_ttl)),
        Which.NEW: _Track(NsSet(start.new_apex, start.new_apex_ttl or apex_ttl)),
    }
    content = {Which.OLD: _Track(start.old_content), Which.NEW: _Track(start.new_content)}
    for standing in standings:
        step, first, everywhere = standing.step, standing.first, standing.ends
        details = step.details
        match step.action:
            case "publish":
                side = Which(details.get("side", "new"))
                if content[side].value == Content.NOTHING:
                    content[side].change(first, first, Content.BLANK, step.id)
                apex[side].change(first, everywhere, NsSet(Which(details.get("ns", "new")), int(details["apex_ttl"])), step.id)
                content[side].change(first, everywhere, Content.WHOLE, step.id)
            case "apex":
                apex[Which(details["side"])].change(first, everywhere, NsSet(Which(details["ns"]), int(details["ttl"])), step.id)
            case "switch":
                seen = _seen_by_parents(standings, standing)
                delegation.change(first, seen, NsSet(Which(details.get("ns", "new")), parent_ttl), step.id)
            case "end":
                content[Which(details.get("side", "old"))].change(first, everywhere, Content.NOTHING, step.id)
    return Stage(
        delegation.periods,
        {which: track.periods for which, track in apex.items()},
        {which: track.periods for which, track in content.items()},
        start.hosts_known if start.hosts_known is not None else runbook.drafted,
        int(premises.get("host_negative_ttl", 0)),
        int(premises.get("time_out", 0)) + 1,
        int(premises.get("floor", 0)),
    )


def _seen_by_parents(standings: Iterable[Standing], switch: Standing) -> float:
    """When every parent server was seen with the change; never, if nobody looks."""
    later = False
    for each in standings:
        if each is switch:
            later = True
        elif later and each.step.action == "parents":
            return each.ends
    return FOREVER


@dataclass(frozen=True, slots=True)
class _Beginning:
    """How things stand when the runbook begins: as for a move that has not begun, unless the premises say otherwise."""

    delegated: Which = Which.OLD
    old_apex: Which = Which.OLD
    new_apex: Which = Which.NEW
    old_apex_ttl: int | None = None
    new_apex_ttl: int | None = None
    old_content: Content = Content.WHOLE
    new_content: Content = Content.NOTHING
    hosts_known: float | None = None


def _beginning(premises: Mapping[str, Any]) -> _Beginning:
    given = premises.get("beginning")
    if not given:
        return _Beginning()
    return _Beginning(
        Which(given["delegated"]),
        Which(given["old_apex"]),
        Which(given["new_apex"]),
        given.get("old_apex_ttl"),
        given.get("new_apex_ttl"),
        Content(given["old_content"]),
        Content(given["new_content"]),
        -FOREVER,
    )
