"""Everything that a kind of cache may hold, at any moment, whenever it asks and whatever it forgets.

A copy of an NS set can be fetched at any moment of a period in which it is handed out, so all the moments at which it may be
held form a *span*: from the first moment of fetching to the last one plus the TTL. A copy of one set can be the way to another
- who holds a referral asks those servers, and they hand out their own NS set - so spans beget spans: where a span overlaps a
period in which the servers it leads to hand out a set, that set may be held from there on, until the end of the overlap plus
its TTL. This is closed under *just before an event* and *the last moment of a copy through which it was fetched*, which is
what makes it exact: events alone would miss the copy that is fetched at the last moment of another.

A copy that renews itself (sticky caches) lasts through the whole period in which it is handed out.
"""

from collections.abc import Iterator
from dataclasses import dataclass

from legatum.core.caches import CacheKind
from legatum.core.rehearsal.stage import FOREVER, Content, NsSet, Period, Stage, Which


@dataclass(frozen=True, slots=True)
class Held:
    """An NS set that a cache may hold from ``begins`` until just before ``ends``.

    ``fetched``: the last moment at which this copy can be fetched; ``through``: the copy that led to the servers asked, None for
    the parent's; ``renewed``: it was renewed again and again until then.
    """

    which: Which
    begins: float
    ends: float
    fetched: float
    ttl: int
    through: "Held | None" = None
    renewed: bool = False

    @property
    def from_child(self) -> bool:
        return self.through is not None


def holdings(stage: Stage, kind: CacheKind) -> list[Held]:
    """All spans, each with the way in which it comes about."""
    found: list[Held] = []
    waiting = [_fetched(stage, period, None) for period in stage.delegation]
    while waiting:
        span = waiting.pop()
        if any(_contains(each, span) for each in found):
            continue
        found.append(span)
        if kind == CacheKind.PARENT_TRUSTING or (kind == CacheKind.CHILD_TRUSTING and span.from_child):
            continue
        waiting += _learnt(stage, kind, span)
    return found


def _contains(one: Held, other: Held) -> bool:
    same = one.which == other.which and one.from_child == other.from_child
    return same and one.begins <= other.begins and one.ends >= other.ends


def _fetched(stage: Stage, period: Period[NsSet], through: Held | None) -> Held:
    ends = period.ends + stage.lasts(period.value.ttl)
    return Held(period.value.which, period.begins, ends, period.ends, period.value.ttl, through)


def _learnt(stage: Stage, kind: CacheKind, span: Held) -> Iterator[Held]:
    """The sets that the servers which ``span`` leads to hand out while it is held."""
    for served in stage.content[span.which]:
        if served.value == Content.NOTHING:
            continue
        for period in stage.apex[span.which]:
            begins = max(span.begins, served.begins, period.begins)
            ends = min(span.ends, served.ends, period.ends)
            if begins >= ends and not begins == ends == -FOREVER:
                continue
            renewed = kind == CacheKind.STICKY and period.value.which == span.which and period.value.ttl > 0
            if renewed:
                # Each answer renews the copy: once held in the period, it can be held to the period's end.
                ends = min(served.ends, period.ends)
            yield (
                _fetched(stage, Period(begins, ends, period.value), span)
                if not renewed
                else Held(span.which, begins, ends + stage.lasts(period.value.ttl), ends, period.value.ttl, span, ends > span.ends)
            )
