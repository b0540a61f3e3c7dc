"""Where data lead: the hosts that MX, SRV, CNAME and other sets name, and the addresses that an SPF record lets send.

Whoever has a set goes by it until its TTL has passed, and may look for what it names at any moment until then: a host
in it has to be found, with an address, all that time. Who receives mail goes by the SPF record that he has: an address
that mail is sent from must stand in every one of them (docs/timing.md, rules 2 and 3; RFC 7208).
"""

from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import Any, NamedTuple

from legatum.core.moves.place import ADDRESSES, RRsetKey
from legatum.core.moves.timeline import FOREVER, Content, Period
from legatum.core.records.address import address_text
from legatum.core.records.name import Name, is_under, name_text
from legatum.core.records.rrset import RRset, targets
from legatum.core.records.rrtype import CNAME, NAME_FIELDS, NS, SOA, TXT
from legatum.core.rehearsal.playback import Playback, lasting, original
from legatum.core.service.spf import listed_addresses

_GRAIN = 0.001
_FOUND_BY = (*ADDRESSES, CNAME)


class Source(NamedTuple):
    """That a server of a place may be asked for a zone in that time."""

    zone: Name
    place: str
    begins: float
    ends: float


class Astray(NamedTuple):
    """A moment ``at`` which a copy of ``rrset``, fetched by ``got`` at the latest, leads to ``what``, which is not
    there or not let send; not so any more ``until``. ``step``: that does it."""

    source: int
    key: RRsetKey
    rrset: RRset
    got: float
    what: str
    at: float
    until: float
    step: str


class _Gone(NamedTuple):
    """A time in which something is not there, since ``step``."""

    begins: float
    ends: float
    step: str = ""


def dead_names(playback: Playback, sources: Sequence[Source], is_cut: Callable[[int, Name], bool]) -> Iterator[Astray]:
    """Sets that name a host of the plan's zones, held while that host has no address. ``is_cut``: of a source and a
    name: it is handed on there, and followed by itself."""
    absences = dict[Name, list[_Gone]]()
    for number, source in enumerate(sources):
        for key in playback.timeline.keys(source.zone):
            if key[1] not in NAME_FIELDS or key[1] in (NS, SOA):
                continue
            for begins, got, period in _had(playback, source, key):
                assert period.value is not None
                ends = got + playback.lasts(period.value.ttl)
                for host in targets(period.value):
                    if not any(is_under(host, each.zone) for each in sources) or is_cut(number, host):
                        continue
                    if host not in absences:
                        absences[host] = list(_absences(playback, sources, host))
                    for gone in absences[host]:
                        at, until, step = max(begins, gone.begins), min(ends, gone.ends), gone.step or period.step
                        if at + _GRAIN < until and at > -FOREVER and step:
                            yield Astray(number, key, period.value, min(got, at), name_text(host), at, until, step)


def unlisted_senders(playback: Playback, sources: Sequence[Source]) -> Iterator[Astray]:
    """Copies of an SPF record without an address that mail is sent from by then: a new one in it that visitors are led
    to."""
    for number, source in enumerate(sources):
        for key in playback.timeline.keys(source.zone):
            periods = playback.said(source.place, source.zone, key) if key[1] == TXT else ()
            if not periods:
                continue
            new = listed_addresses(lasting(periods).value) - listed_addresses(original(periods).value)
            for address in sorted(new):
                used = _first_use(playback, address)
                if used is None:
                    continue
                for begins, got, period in _had(playback, source, key):
                    if not (listed := listed_addresses(period.value)) or address in listed or period.value is None:
                        continue
                    at, until = max(begins, used.begins), got + playback.lasts(period.value.ttl)
                    if at + _GRAIN < until and at > -FOREVER:
                        yield Astray(number, key, period.value, min(got, at), address, at, until, used.step)


def _had(playback: Playback, source: Source, key: RRsetKey) -> Iterator[tuple[float, float, Period[RRset | None]]]:
    """From when on and until when the set can be got there; where it is not there, nothing."""
    for served in playback.content(source.place, source.zone):
        for period in playback.said(source.place, source.zone, key) if served.value == Content.WHOLE else ():
            begins, got = max(source.begins, served.begins, period.begins), min(source.ends, served.ends, period.ends)
            if period.value is not None and begins + _GRAIN < got:
                yield begins, got, period


def _first_use(playback: Playback, address: str) -> Period[RRset | None] | None:
    """From when on anybody is led to the address; None where that was always so, or never."""
    led = [
        period
        for (_, _, _, rtype), track in playback.timeline.rrsets.items()
        if rtype in ADDRESSES
        for period in track.periods
        if period.value is not None and address in map(address_text, period.value.rdatas)
    ]
    first = min(led, key=lambda each: each.begins, default=None)
    return first if first is not None and first.begins > -FOREVER else None


def _absences(playback: Playback, sources: Iterable[Source], host: Name) -> Iterator[_Gone]:
    """When somebody may think that the host has no address, as long as that is kept. Of a host that nobody follows
    nothing is known."""
    zone = max({each.zone for each in sources if is_under(host, each.zone)}, key=len)
    kept = playback.lasts(playback.premises.negative_ttl(zone))
    for source in sources:
        tracks = (
            [playback.said(source.place, zone, (host, rtype)) for rtype in _FOUND_BY] if source.zone == zone else []
        )
        if not any(tracks):
            continue
        spans = [_Gone(source.begins, source.ends)]
        spans = _both(
            spans, [_gone(each) for each in playback.content(source.place, zone) if each.value == Content.WHOLE]
        )
        for track in tracks:
            spans = _both(spans, [_gone(each) for each in track if each.value is None]) if track else spans
        yield from (each._replace(ends=each.ends + kept) for each in spans)


def _gone(period: Period[Any]) -> _Gone:
    return _Gone(period.begins, period.ends, period.step)


def _both(some: Iterable[_Gone], others: Sequence[_Gone]) -> list[_Gone]:
    """Times that lie in one of each."""
    found = (
        _Gone(max(one.begins, other.begins), min(one.ends, other.ends), other.step or one.step)
        for one in some
        for other in others
    )
    return [each for each in found if each.begins < each.ends]
