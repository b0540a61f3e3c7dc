"""Everything that a kind of cache may hold, at any moment, whenever it asks and whatever it forgets.

A copy of an NS set can be fetched at any moment of a period in which it is handed out, so all the moments at which it
may be
held form a *span*: from the first moment of fetching to the last one plus the TTL. A copy of one set can be the way to
another
- who holds a referral asks those servers, and they hand out their own NS set - so spans beget spans: where a span
  overlaps a
period in which the servers it leads to hand out a set, that set may be held from there on, until the end of the overlap
plus
its TTL. This is closed under *just before an event* and *the last moment of a copy through which it was fetched*, which
is
what makes it exact: events alone would miss the copy that is fetched at the last moment of another.

A copy that renews itself (sticky caches) lasts through the whole period in which it is handed out. A zone below another
one is reached by the spans of the one above.
"""

import heapq
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from itertools import count

from legatum.core.moves.place import PARENT
from legatum.core.moves.timeline import FOREVER, Content, Period
from legatum.core.records.name import Name
from legatum.core.records.rrset import RRset, targets
from legatum.core.records.rrtype import NS
from legatum.core.rehearsal.caches import CacheKind
from legatum.core.rehearsal.playback import Playback, ServerPath


@dataclass(frozen=True, slots=True)
class CachedNsSet:
    """An NS set of ``zone`` that a cache may hold from ``begins`` until just before ``ends``.

    ``fetched``: the last moment at which this copy can be fetched, from a server of the place ``given_by``;
    ``through``: the copy that led to the servers asked, None for the parent's; ``renewed``: it was renewed again and
    again until then; ``step``: since when it is given.
    """

    zone: Name
    names: tuple[Name, ...]
    begins: float
    ends: float
    fetched: float
    ttl: int
    given_by: str
    from_child: bool
    step: str = ""
    through: "CachedNsSet | None" = None
    renewed: bool = False


def holdings(playback: Playback, kind: CacheKind) -> dict[Name, list[CachedNsSet]]:
    """Zone → all spans, each with the way in which it comes about."""
    found: dict[Name, list[CachedNsSet]] = {}
    for zone in playback.zones:
        found[zone] = _of_zone(playback, kind, zone, found)
    return found


def _of_zone(
    playback: Playback, kind: CacheKind, zone: Name, above: Mapping[Name, Sequence[CachedNsSet]]
) -> list[CachedNsSet]:
    """The spans that end last are followed first: where sets lead to each other and back, the short ones lie within
    them."""
    found: dict[tuple[tuple[Name, ...], bool], list[CachedNsSet]] = {}
    number = count()
    waiting = [(-span.ends, span.begins, next(number), span) for span in _referrals(playback, zone, above)]
    heapq.heapify(waiting)
    while waiting:
        *_, span = heapq.heappop(waiting)
        alike = found.setdefault((span.names, span.from_child), [])
        if any(_contains(each, span) for each in alike):
            continue
        alike[:] = [each for each in alike if not _contains(span, each)] + [span]
        if kind == CacheKind.PARENT_TRUSTING or (kind == CacheKind.CHILD_TRUSTING and span.from_child):
            continue
        for each in _learnt(playback, kind, span):
            heapq.heappush(waiting, (-each.ends, each.begins, next(number), each))
    return [span for alike in found.values() for span in alike]


def _contains(one: CachedNsSet, other: CachedNsSet) -> bool:
    return one.begins <= other.begins and one.ends >= other.ends


def _referrals(playback: Playback, zone: Name, above: Mapping[Name, Sequence[CachedNsSet]]) -> Iterator[CachedNsSet]:
    for place, upper, period in playback.delegations(zone):
        if place == PARENT:
            yield _fetched(playback, zone, period, place, None)
            continue
        for span in above.get(upper, ()):
            for begins, ends in asked_at(playback, span, place):
                for served in playback.content(place, upper):
                    first, last = max(begins, period.begins, served.begins), min(ends, period.ends, served.ends)
                    if served.value == Content.WHOLE and _is_span(first, last):
                        yield _fetched(playback, zone, Period(first, last, period.value, period.step), place, span)


def _is_span(begins: float, ends: float) -> bool:
    return begins < ends or begins == ends == -FOREVER


def _fetched(
    playback: Playback,
    zone: Name,
    period: Period[RRset],
    place: str,
    through: CachedNsSet | None,
    from_child: bool = False,
) -> CachedNsSet:
    ttl = period.value.ttl
    ends = period.ends + playback.lasts(ttl)
    return CachedNsSet(
        zone, targets(period.value), period.begins, ends, period.ends, ttl, place, from_child, period.step, through
    )


def asked_at(playback: Playback, span: CachedNsSet, place: str) -> list[tuple[float, float]]:
    """When a cache with this copy may ask a server of the place."""
    found: list[tuple[float, float]] = []
    for way in _ways(playback, span):
        if way.place == place:
            begins, ends = max(span.begins, way.begins), min(span.ends, way.ends)
            if _is_span(begins, ends) and (begins, ends) not in found:
                found.append((begins, ends))
    return found


def _ways(playback: Playback, span: CachedNsSet) -> Iterator[ServerPath]:
    for host in span.names:
        yield from playback.ways_to(host)


def _learnt(playback: Playback, kind: CacheKind, span: CachedNsSet) -> Iterator[CachedNsSet]:
    """The sets that the servers which ``span`` leads to hand out while it is held."""
    for place in dict.fromkeys(way.place for way in _ways(playback, span) if way.place is not None):
        for asked_from, asked_until in asked_at(playback, span, place):
            for served in playback.content(place, span.zone):
                if served.value == Content.NOTHING:
                    continue
                for period in playback.said(place, span.zone, (span.zone, NS)):
                    if period.value is None:
                        continue
                    begins = max(asked_from, served.begins, period.begins)
                    ends = min(asked_until, served.ends, period.ends)
                    if not _is_span(begins, ends):
                        continue
                    given = Period(begins, ends, period.value, period.step)
                    renewed = kind == CacheKind.STICKY and targets(period.value) == span.names and period.value.ttl > 0
                    if not renewed:
                        yield _fetched(playback, span.zone, given, place, span, from_child=True)
                        continue
                    # Each answer renews the copy: once held in the period, it can be held as long as its servers can be
                    # asked in it.
                    last = min(
                        served.ends,
                        period.ends,
                        max((way.ends for way in _ways(playback, span) if way.place == place), default=ends),
                    )
                    ttl = period.value.ttl
                    yield CachedNsSet(
                        span.zone,
                        span.names,
                        begins,
                        last + playback.lasts(ttl),
                        last,
                        ttl,
                        place,
                        True,
                        period.step,
                        span,
                        last > span.ends,
                    )
