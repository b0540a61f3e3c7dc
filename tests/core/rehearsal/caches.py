"""Caches of an independent make: one that asks at random moments, and all that there can be on a grid of moments.

They read what each place gives at a moment, and know nothing of spans, holds or steps.
"""

import random
from collections.abc import Sequence
from typing import TypeVar

from legatum.core.moves.place import ADDRESSES, PARENT, RRsetKey
from legatum.core.moves.timeline import Content, Period
from legatum.core.records.address import address_text
from legatum.core.records.name import Name, is_under
from legatum.core.records.rrset import RRset, targets
from legatum.core.records.rrtype import NS
from legatum.core.rehearsal.caches import CacheKind
from legatum.core.rehearsal.playback import Playback
from legatum.core.rehearsal.verdict import needed

V = TypeVar("V")


def given(periods: Sequence[Period[V]], now: float) -> list[V]:
    return [each.value for each in periods if each.begins <= now < each.ends]


class RandomCache:
    """``ask`` gives a word about what went wrong, or nothing."""

    def __init__(self, playback: Playback, kind: CacheKind, chance: random.Random) -> None:
        self.playback, self.kind, self.chance = playback, kind, chance
        self.cuts: dict[Name, tuple[tuple[Name, ...], float, bool]] = {}
        self.addresses: dict[Name, tuple[str, float]] = {}
        self.answers: dict[RRsetKey, tuple[RRset, float]] = {}
        self.top = playback.zones[0]
        self.keys = [(zone, key) for zone in playback.zones for key in playback.timeline.keys(zone) if key[1] != NS]
        self.needed = needed(playback)

    def ask(self, now: float) -> str:
        for memory in (self.cuts, self.addresses, self.answers):
            for key in [key for key, value in memory.items() if value[1] <= now or self.chance.random() < 0.01]:
                del memory[key]  # type: ignore[attr-defined]
        _, key = self.chance.choice(self.keys) if self.keys else (self.top, (self.top, 0))
        if key in self.answers:
            return self.use(self.answers[key][0], now)
        if self.top not in self.cuts:
            parents = given(self.playback.said(PARENT, self.playback.premises.parent_zone, (self.top, NS)), now)
            found = self.chance.choice(parents) if parents else None
            if found is None:
                return ""  # nobody delegates it
            self.keep(self.top, found, now, False)
        return self.descend(self.top, key, now)

    def descend(self, zone: Name, key: RRsetKey, now: float) -> str:
        below = [each for each in self.cuts if each != zone and is_under(key[0], each)]
        if below:
            return self.descend(max(below, key=len), key, now) if zone == self.top else self.at(zone, key, now)
        return self.at(zone, key, now)

    def at(self, zone: Name, key: RRsetKey, now: float) -> str:
        host = self.chance.choice(self.cuts[zone][0])
        if self.is_denied(host, now) and self.chance.random() < 0.3:
            return f"{host!r} is remembered as a name that does not exist"
        address = self.address(host, now)
        if address is None:
            return f"{host!r} has no address"
        places = (
            given(self.playback.timeline.answering[address].periods, now)
            if address in self.playback.timeline.answering
            else []
        )
        place = self.chance.choice(places) if places else None
        if place is None:
            return f"nobody answers at {address}"
        contents = given(self.playback.content(place, zone), now)
        if self.chance.choice(contents) != Content.WHOLE:
            return f"{place} does not serve {zone!r}"
        own = given(self.playback.said(place, zone, (zone, NS)), now)
        adopts = self.kind == CacheKind.STICKY or (self.kind == CacheKind.CHILD_TRUSTING and not self.cuts[zone][2])
        referred = self.referred(place, zone, key, now)
        if referred is not None:
            self.keep(*referred, now, False)
            return self.at(referred[0], key, now)
        if adopts and own and (ns := self.chance.choice(own)) is not None:
            self.keep(zone, ns, now, True)
        return self.answer(place, zone, key, now)

    def is_denied(self, host: Name, now: float) -> bool:
        """Somebody may have asked for the name server when it was not there, and remember that."""
        outside = next((each for each in self.playback.premises.hosts if each.host == host), None)
        if outside is not None:
            return outside.since is not None and now < outside.since + outside.negative_ttl
        zones = {zone for place, zone, name, _ in self.playback.timeline.rrsets if name == host and place != PARENT}
        return any(
            None in given(track.periods, now - self.playback.premises.negative_ttl(zone))
            for zone in zones
            for key in [(host, rtype) for rtype in ADDRESSES]
            for _, track in self.playback.timeline.histories(zone, key)
        )

    def referred(self, place: str, zone: Name, key: RRsetKey, now: float) -> tuple[Name, RRset] | None:
        for cut in self.playback.zones:
            if cut != zone and is_under(key[0], cut) and is_under(cut, zone):
                sets = given(self.playback.said(place, zone, (cut, NS)), now)
                if sets and (ns := self.chance.choice(sets)) is not None:
                    return cut, ns
        return None

    def answer(self, place: str, zone: Name, key: RRsetKey, now: float) -> str:
        values = given(self.playback.said(place, self.playback.answers_from(place, zone), key), now)
        value = self.chance.choice(values) if values else None
        if value is None:
            hidden = any(
                cut != zone and is_under(key[0], cut) and self.playback.said(place, zone, (cut, NS))
                for cut in self.playback.zones
            )
            return f"{key!r} is denied at {place}" if key in self.needed and values and not hidden else ""
        self.answers[key] = (value, now + self.playback.lasts(value.ttl) - self.playback.lag)
        return self.use(value, now)

    def use(self, rrset: RRset, now: float) -> str:
        for address in map(address_text, rrset.rdatas) if rrset.rtype in ADDRESSES else ():
            track = self.playback.timeline.services.get(address)
            if track is not None and not any(given(track.periods, now)):
                return f"{address} works no more"
        return ""

    def address(self, host: Name, now: float) -> str | None:
        if host in self.addresses:
            return self.addresses[host][0]
        tracks = [
            (place, zone, track)
            for (place, zone, name, rtype), track in self.playback.timeline.rrsets.items()
            if name == host and rtype in ADDRESSES
        ]
        if not tracks:
            fixed = self.playback.premises.fixed_addresses(host)
            return self.chance.choice(fixed) if fixed else None
        found = [
            (address_text(data), value.ttl)
            for place, zone, track in tracks
            if place == PARENT or Content.WHOLE in given(self.playback.content(place, zone), now)
            for value in given(track.periods, now)
            if value is not None
            for data in value.rdatas
        ]
        if not found:
            return None
        address, ttl = self.chance.choice(found)
        self.addresses[host] = (address, now + max(ttl, self.playback.floor))
        return address

    def keep(self, zone: Name, ns: RRset, now: float, from_child: bool) -> None:
        self.cuts[zone] = (targets(ns), now + max(ns.ttl, self.playback.floor), from_child)


def first_failure(
    playback: Playback, kind: CacheKind, chance: random.Random, begins: float, ends: float, every: float
) -> str:
    """Of one cache with random moments of asking."""
    cache, now = RandomCache(playback, kind, chance), begins
    while now < ends:
        now += chance.expovariate(1 / every)
        if now < ends and (said := cache.ask(now)):
            return f"{kind} at {now:.1f}: {said}"
    return ""


def every_cache_fails(playback: Playback, kind: CacheKind, begins: int, ends: int) -> bool:
    """Whether some cache of the kind fails, of all that ask, or do not, and forget, or do not, at each moment of a grid
    of quarter seconds; told by the domain's NS sets alone. A copy may be used ``lag`` longer than its TTL."""
    zone = playback.zones[0]
    states: set[tuple[tuple[Name, ...], float, bool]] = set()
    for quarter in range(4 * begins, 4 * ends):
        now = quarter / 4
        states = {each for each in states if each[1] > now}
        parents = [
            each
            for each in given(playback.said(PARENT, playback.premises.parent_zone, (zone, NS)), now)
            if each is not None
        ]
        waiting = [*states, *((targets(ns), now + playback.lasts(ns.ttl), False) for ns in parents)]
        seen = set(waiting)
        while waiting:
            names, _, from_child = waiting.pop()
            for host in names:
                for address in playback.premises.fixed_addresses(host):
                    for place in given(playback.timeline.answering[address].periods, now):
                        if place is None or any(
                            each != Content.WHOLE for each in given(playback.content(place, zone), now)
                        ):
                            return True
                        if kind == CacheKind.PARENT_TRUSTING or (kind == CacheKind.CHILD_TRUSTING and from_child):
                            continue
                        for ns in given(playback.said(place, zone, (zone, NS)), now):
                            state = (targets(ns), now + playback.lasts(ns.ttl), True) if ns is not None else None
                            if state is not None and state not in seen:
                                seen.add(state)
                                waiting.append(state)
        states |= seen
    return False
