"""A change at an instant that somebody wishes for: when each TTL has to be lowered for it, and what it means where that
is too late.

Rule 1: whoever fetched it just before the TTL was lowered keeps it for the old TTL; from *lowered + old TTL - low TTL*
on nobody holds it for longer than the low one. Rule 2: after the change the old answer lives for that much longer, and
the TTL may be raised again then.
"""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from legatum.core.calendar.timing import Caution
from legatum.core.timetable.aging import aged
from legatum.core.timetable.subject import AT_PARENT, Role, Subject


@dataclass(frozen=True, slots=True)
class Lowering:
    """One RRset. ``low``: the TTL that it gets, None where it stays as it is; ``by``: the latest instant for that;
    ``earliest``: the first instant of a change, if it is lowered now; ``gone``: when the last old answer is gone, of a
    change at the wish; ``kept``: the same, were nothing lowered any more before it."""

    matter: Subject
    low: int | None
    by: float | None
    earliest: float
    gone: float
    kept: float

    def late(self, now: float) -> bool:
        return self.by is not None and self.by < now

    def share_at(self, wish: float, now: float) -> float:
        """Of the resolvers that ask all the time, how many hold at the wish an answer that outlives the low TTL, if it
        is lowered now: those that fetched theirs before (rule 14, for names that are asked often)."""
        if not self.late(now) or self.low is None:
            return 0.0
        return max(0.0, min(1.0, (now + self.matter.ttl - wish - self.low) / self.matter.ttl))


def lowering(matter: Subject, wish: float, low: int, now: float, publishing: int, caution: Caution) -> Lowering:
    """``low``: seconds. What the parent gives, or is given with less already, is not lowered."""
    gone = aged(matter, wish, publishing, caution).until
    earlier = matter.held_longest(caution)
    kept_until = earlier.until(caution) if earlier is not None else 0.0
    if not matter.ours or matter.role in AT_PARENT or caution.lasts(matter.ttl) <= caution.lasts(low):
        earliest = max(now, kept_until - caution.lasts(matter.ttl)) if matter.ours else now
        return Lowering(matter, None, None, earliest, gone, gone)
    shorter = caution.lasts(matter.ttl) - caution.lasts(low) + caution.slack(1) + caution.margin
    after = max(wish + caution.lasts(low) + caution.slack(1) + caution.margin, kept_until)
    by = wish - shorter
    if by < now:  # what was fetched just before it is lowered now
        after = max(after, now + caution.lasts(matter.ttl) + caution.slack(1) + caution.margin)
    return Lowering(matter, low, by, max(now + shorter, kept_until - caution.lasts(low)), after, gone)


def lowerings(
    matters: Iterable[Subject], wish: float, low: int, now: float, publishing: int, caution: Caution
) -> list[Lowering]:
    """The most urgent first; last what is not lowered."""
    found = [lowering(each, wish, low, now, publishing, caution) for each in matters if each.ttls]
    return sorted(found, key=lambda each: (each.by is None, each.by or 0.0, each.matter.text))


@dataclass(frozen=True, slots=True)
class Wish:
    """All of it. ``by``: the latest instant for the first thing to do, None where nothing is to be lowered;
    ``earliest``: the first instant of a change with everything lowered; ``gone``: when the last old answer is gone,
    ``overlap``: what decides that."""

    at: float
    now: float
    lowerings: tuple[Lowering, ...]

    @property
    def by(self) -> float | None:
        return min((each.by for each in self.lowerings if each.by is not None), default=None)

    @property
    def late(self) -> tuple[Lowering, ...]:
        return tuple(each for each in self.lowerings if each.late(self.now))

    @property
    def earliest(self) -> float:
        return max((each.earliest for each in self.lowerings), default=self.now)

    @property
    def overlap(self) -> Lowering:
        return max(self.lowerings, key=lambda each: each.gone)

    @property
    def gone(self) -> float:
        return self.overlap.gone


def wished(matters: Sequence[Subject], at: float, low: int, now: float, publishing: int, caution: Caution) -> Wish:
    """``matters``: what is to change. The SOA record changes with every edit, “no such name” only where names come, and
    addresses in other zones when their owners change them: none of them is lowered for a change of data."""
    changing = [each for each in matters if each.role not in (Role.SOA, Role.ABSENCE) and not each.others] or list(
        matters
    )
    return Wish(at, now, tuple(lowerings(changing, at, low, now, publishing, caution)))
