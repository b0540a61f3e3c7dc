"""What may still be held of what was handed out, until when, and how that is known: the one answer to it, for plans,
holds, ways back, timetables, watching and explaining alike (docs/timing.md, rules 1 and 2).

Memory never stands for the present: what is given now is what servers say now, and what is remembered counts beside it.
"""

from collections.abc import Collection, Iterable
from dataclasses import dataclass
from typing import NamedTuple

from legatum.core.calendar.instant import clock_text
from legatum.core.calendar.timing import Caution
from legatum.core.memory.given import ABSENT, Given, rrset_of
from legatum.core.records.name import Name, name_text
from legatum.core.records.rrset import RRset, targets
from legatum.core.records.rrtype import NS, type_text


@dataclass(frozen=True, slots=True)
class HeldCopy:
    """Of one RRset, as ``place`` gave it with ``ttl``. ``given_until``: the last instant at which it may have been
    given; ``ended``: that is known, else it may have been given up to now; ``rrset``: None where its data are not
    known, or, if ``absent``, there were none."""

    place: str
    name: Name
    rtype: int
    ttl: int
    rrset: RRset | None
    since: float
    given_until: float
    ended: bool
    absent: bool = False

    @property
    def key(self) -> tuple[Name, int]:
        return self.name, self.rtype

    def until(self, caution: Caution) -> float:
        """When the last copy has left every cache that keeps to its TTL, in seconds since 1970."""
        return self.given_until + caution.lasts(self.ttl) + caution.slack(1) + caution.margin

    def differs(self, present: RRset | None) -> bool:
        """Whoever has it has something else than is given now, or has it for longer."""
        if self.absent:
            return present is not None
        if present is None:
            return True
        return self.ttl > present.ttl or (self.rrset is not None and self.rrset.rdatas != present.rdatas)

    def as_given(self, present: RRset | None) -> RRset | None:
        """With the present data where its own are not known."""
        return self.rrset if self.rrset is not None or self.absent or present is None else present.with_ttl(self.ttl)

    def reason(self, now: float, caution: Caution) -> str:
        """Why it may be held until :meth:`until`: every term of that."""
        floor = f", which resolvers may keep {caution.floor} s" if caution.floor > self.ttl else ""
        margin = f"; {caution.margin} s margin" if caution.margin else ""
        return f"{self.text(now)}{floor}; {caution.slack(1)} s for a question under way{margin}"

    def text(self, now: float) -> str:
        """What was given by whom until when, in words."""
        what = (
            "the NS set " + ", ".join(map(name_text, targets(self.rrset)))
            if self.rtype == NS and self.rrset
            else type_text(self.rtype)
        )
        if self.absent:
            what = f"that there is no {type_text(self.rtype)}"
        who = self.place or "its servers"
        return (
            f"{who} gave {what} for {name_text(self.name)} until {clock_text(self.given_until, now)} with a "
            f"TTL of {self.ttl}"
        )


class KeptSet(NamedTuple):
    """An NS set that is given no longer and may be gone by still. ``until``: by then nobody does, in seconds since
    1970; ``text``: how that is known."""

    names: tuple[Name, ...]
    until: float
    text: str


def kept_sets(
    found: Iterable[HeldCopy], domain: Name, present: Collection[tuple[Name, ...]], now: float, caution: Caution
) -> list[KeptSet]:
    """Of the domain's NS sets, at its parent or its own, the last to go first. ``present``: those that anybody gives
    now."""
    sets = [
        KeptSet(targets(each.rrset), each.until(caution), each.reason(now, caution))
        for each in found
        if each.key == (domain, NS)
        and each.rrset is not None
        and each.until(caution) > now
        and targets(each.rrset) not in present
    ]
    return sorted(sets, key=lambda each: -each.until)


def copies(memory: Iterable[Given], now: float) -> list[HeldCopy]:
    """Everything that was given, in the order of memory. What was not seen to end may have been given up to ``now``."""
    return [
        HeldCopy(
            one.place,
            one.name,
            one.rtype,
            one.ttl,
            rrset_of(one),
            one.first,
            now if one.gone is None else min(one.gone, now),
            one.gone is not None,
            one.data == ABSENT,
        )
        for one in memory
        if one.data or one.ttl
    ]


def still_held(found: Iterable[HeldCopy], present: RRset | None, now: float, caution: Caution) -> list[HeldCopy]:
    """Of the copies of one RRset those that somebody may hold at ``now`` and that are not what is given now, the last
    to go first."""
    held = [each for each in found if each.differs(present) and each.until(caution) > now]
    return sorted(held, key=lambda each: -each.until(caution))
