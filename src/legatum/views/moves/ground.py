"""What a rehearsal's verdict rests on, whole: what every place gives of what is followed, from when on until when, for
other checkers.

Where two periods of one thing overlap either may be had: a change reaches the first server at its beginning and the
last one at the end of what was before it; what is remembered of before the plan lies beside. Keys are called by labels.
"""

from collections.abc import Iterable, Iterator
from typing import Any, TypeVar

from legatum.core.dnssec.trust import DsSet, Keys
from legatum.core.moves.timeline import FOREVER, Period, ValueHistory
from legatum.core.records.name import Name, name_text
from legatum.core.records.presentation import rdata_texts
from legatum.core.records.rrset import RRset
from legatum.core.records.rrtype import type_text
from legatum.core.rehearsal import Playback
from legatum.views.document import Part

_V = TypeVar("_V")


class SpanPart(Part):
    """In seconds since 1970; null from ever, or for ever. ``step``: that began it; ``beside``: it is remembered, and no
    state that the others follow."""

    begins: float | None
    ends: float | None
    step: str
    beside: bool


class GivenPart(SpanPart):
    """An RRset; null where there is none."""

    ttl: int | None
    data: list[str] | None


class RRsetTimelinePart(Part):
    place: str
    zone: str
    name: str
    type: str
    periods: list[GivenPart]


class ContentPart(SpanPart):
    content: str


class ZoneTimelinePart(Part):
    place: str
    zone: str
    periods: list[ContentPart]


class AnsweringPart(SpanPart):
    """``place``: whose contents are given; null where nobody answers."""

    place: str | None


class ServerTimelinePart(Part):
    address: str
    periods: list[AnsweringPart]


class WorkingPart(SpanPart):
    works: bool


class ServiceTimelinePart(Part):
    """Of an address that visitors are sent to."""

    address: str
    periods: list[WorkingPart]


class SigningPart(SpanPart):
    """Labels of the keys in the DNSKEY set, of those that sign it, and of those that sign the rest; null for an
    unsigned zone."""

    published: list[str] | None
    sign_keys: list[str]
    sign_rest: list[str]
    ttl: int


class SigningTimelinePart(Part):
    place: str
    zone: str
    periods: list[SigningPart]


class DsPart(SpanPart):
    """Labels of the keys that the DS set is of; none for no DS."""

    keys: list[str]
    ttl: int


class DsTimelinePart(Part):
    domain: str
    periods: list[DsPart]


class TimelinePart(Part):
    """How it goes in one ``schedule``."""

    schedule: str
    rrsets: list[RRsetTimelinePart]
    zones: list[ZoneTimelinePart]
    servers: list[ServerTimelinePart]
    services: list[ServiceTimelinePart]
    signing: list[SigningTimelinePart]
    ds: list[DsTimelinePart]


class KnownHostPart(Part):
    """A name server that a zone outside the plan holds: since when it is known to be there (null: not known), in
    seconds since 1970."""

    since: float | None
    negative_ttl: int


class GroundPart(Part):
    """What holds for all schedules. ``servers``: place → name server → its addresses; ``negative_ttls``,
    ``longest_ttls``: zone → how long *no such name* may be kept, and anything at all; ``since``: what went wrong before
    is not of the plan; ``copies``: follower, zone and primary, of copies that are there in the end."""

    parent_zone: str
    servers: dict[str, dict[str, list[str]]]
    negative_ttls: dict[str, int]
    longest_ttls: dict[str, int]
    known_hosts: dict[str, KnownHostPart]
    since: float
    copies: list[list[str]]


def ground_part(playback: Playback, since: float) -> GroundPart:
    premises = playback.premises
    zones = list(dict.fromkeys(each.zone for each in premises.served))
    return GroundPart(
        parent_zone=name_text(premises.parent_zone),
        servers={
            place.name: {name_text(host): list(addresses) for host, addresses in place.servers.items()}
            for place in premises.places
        },
        negative_ttls={name_text(zone): premises.negative_ttl(zone) for zone in zones},
        longest_ttls={name_text(zone): premises.longest_ttl(zone) for zone in zones},
        known_hosts={
            name_text(each.host): KnownHostPart(since=each.since, negative_ttl=each.negative_ttl)
            for each in premises.hosts
        },
        since=since,
        copies=[[follower, name_text(zone), primary] for follower, zone, primary in playback.copies],
    )


def timeline_part(schedule: str, playback: Playback) -> TimelinePart:
    timeline = playback.timeline
    return TimelinePart(
        schedule=schedule,
        rrsets=[
            _rrset(place, zone, name, rtype, track) for (place, zone, name, rtype), track in timeline.rrsets.items()
        ],
        zones=[
            ZoneTimelinePart(
                place=place,
                zone=name_text(zone),
                periods=[ContentPart(**span, content=str(each.value)) for span, each in _spans(track)],
            )
            for (place, zone), track in timeline.served.items()
        ],
        servers=[
            ServerTimelinePart(
                address=address, periods=[AnsweringPart(**span, place=each.value) for span, each in _spans(track)]
            )
            for address, track in timeline.answering.items()
        ],
        services=[
            ServiceTimelinePart(
                address=address, periods=[WorkingPart(**span, works=each.value) for span, each in _spans(track)]
            )
            for address, track in timeline.services.items()
        ],
        signing=[_signing(place, zone, track) for (place, zone), track in timeline.signed.items()],
        ds=[_ds(domain, track) for domain, track in timeline.ds_sets.items()],
    )


def _rrset(place: str, zone: Name, name: Name, rtype: int, track: ValueHistory[RRset | None]) -> RRsetTimelinePart:
    periods = [
        GivenPart(
            **span, ttl=each.value.ttl if each.value else None, data=rdata_texts(each.value) if each.value else None
        )
        for span, each in _spans(track)
    ]
    return RRsetTimelinePart(
        place=place, zone=name_text(zone), name=name_text(name), type=type_text(rtype), periods=periods
    )


def _signing(place: str, zone: Name, track: ValueHistory[Keys | None]) -> SigningTimelinePart:
    periods = [
        SigningPart(
            **span,
            published=list(keys.published) if keys is not None else None,
            sign_keys=list(keys.entry) if keys is not None else [],
            sign_rest=list(keys.zone) if keys is not None else [],
            ttl=keys.ttl if keys is not None else 0,
        )
        for span, each in _spans(track)
        for keys in [each.value]
    ]
    return SigningTimelinePart(place=place, zone=name_text(zone), periods=periods)


def _ds(domain: Name, track: ValueHistory[DsSet]) -> DsTimelinePart:
    periods = [DsPart(**span, keys=sorted(each.value.labels), ttl=each.value.ttl) for span, each in _spans(track)]
    return DsTimelinePart(domain=name_text(domain), periods=periods)


def _spans(track: ValueHistory[_V]) -> Iterator[tuple[dict[str, Any], Period[_V]]]:
    own: Iterable[Period[_V]] = track.own
    for each in track.periods:
        span = {
            "begins": _instant(each.begins),
            "ends": _instant(each.ends),
            "step": each.step,
            "beside": each not in own,
        }
        yield span, each


def _instant(instant: float) -> float | None:
    return None if instant in (FOREVER, -FOREVER) else instant
