"""What the servers say, over time: a runbook's effects, played at the instants of its steps, and who can be asked
where."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from types import MappingProxyType
from typing import TypeVar

from legatum.core.calendar.instant import instant_text
from legatum.core.dnssec.trust import Keys
from legatum.core.moves.effects import Joined, Records
from legatum.core.moves.place import ADDRESSES, PARENT, Premises, RRsetKey
from legatum.core.moves.runbook import Runbook, Slot, shown_by
from legatum.core.moves.timeline import FOREVER, Content, Period, Timeline, timeline_at_the_beginning
from legatum.core.records.address import address_text
from legatum.core.records.name import Name, is_under
from legatum.core.records.rrset import RRset
from legatum.core.records.rrtype import NS

_V = TypeVar("_V")


@dataclass(frozen=True, slots=True)
class ServerPath:
    """That a name server can be asked at an address: whose contents it gives there, None where nobody answers any more
    since ``step``. ``told_by``: who hands the address out, with the TTL ``ttl``; empty where it is always known."""

    address: str
    place: str | None
    begins: float
    ends: float
    step: str = ""
    told_by: str = ""
    fetched: float = FOREVER
    ttl: int = 0


def lasting(periods: Sequence[Period[_V]]) -> Period[_V]:
    """What stays: what is remembered beside it was over at some time."""
    return next(each for each in periods if each.ends == FOREVER)


def original(periods: Sequence[Period[_V]]) -> Period[_V]:
    """What was so before everything."""
    return next(each for each in periods if each.begins == -FOREVER)


@dataclass
class Playback:
    """Everything that servers say from before the runbook to after it. ``lag``: seconds from an answer given to its
    copy's beginning; ``floor``: the least time that caches keep a copy; ``copies``: who takes a zone from whom, to the
    end."""

    premises: Premises
    timeline: Timeline
    lag: int
    floor: int
    copies: tuple[tuple[str, Name, str], ...] = ()
    _ways: dict[Name, tuple[ServerPath, ...]] = field(default_factory=dict)

    def lasts(self, ttl: int) -> int:
        """How long a copy may be used after the last moment at which its answer was given."""
        return max(ttl, self.floor) + self.lag

    @property
    def zones(self) -> list[Name]:
        """From the top down."""
        found = {zone for _, zone in self.timeline.served} - {self.premises.parent_zone}
        return sorted(found, key=lambda zone: (len(zone), zone))

    def content(self, place: str, zone: Name) -> tuple[Period[Content], ...]:
        """What the place has of the zone; one that has the zone above, and does not hand this part on, answers for it
        from there."""
        track = self.timeline.served.get((place, zone))
        if track is not None:
            return track.periods
        upper = self.answers_from(place, zone)
        cut = self.timeline.rrsets.get((place, upper, zone, NS)) if upper != zone else None
        if cut is None:
            return (Period(-FOREVER, FOREVER, Content.NOTHING),)
        found = []
        for above in self.timeline.served[place, upper].periods:
            for each in cut.periods:
                begins, ends = max(above.begins, each.begins), min(above.ends, each.ends)
                if begins < ends:
                    content = above.value if each.value is None else Content.NOTHING
                    found.append(Period(begins, ends, content, each.step or above.step))
        return tuple(found)

    def answers_from(self, place: str, zone: Name) -> Name:
        """The zone from which the place answers for this one: itself, or one above it that is served there."""
        if (place, zone) in self.timeline.served:
            return zone
        above = [each for where, each in self.timeline.served if where == place and is_under(zone, each)]
        return max(above, key=len, default=zone)

    def said(self, place: str, zone: Name, key: RRsetKey) -> tuple[Period[RRset | None], ...]:
        track = self.timeline.rrsets.get((place, zone, *key))
        return track.periods if track is not None else ()

    def delegations(self, zone: Name) -> list[tuple[str, Name, Period[RRset]]]:
        """Where and when the zone is handed on: place, the zone there, and the NS set."""
        return [
            (place, upper, Period(each.begins, each.ends, each.value, each.step))
            for (place, upper, name, rtype), track in self.timeline.rrsets.items()
            if name == zone and rtype == NS and upper != zone
            for each in track.periods
            if each.value is not None
        ]

    def ways_to(self, host: Name) -> tuple[ServerPath, ...]:
        """All ways in which caches may reach a name server."""
        if host not in self._ways:
            self._ways[host] = tuple(self._found_ways(host))
        return self._ways[host]

    def _found_ways(self, host: Name) -> list[ServerPath]:
        given = [
            (place, zone, period)
            for (place, zone, name, rtype), track in self.timeline.rrsets.items()
            if name == host and rtype in ADDRESSES
            for period in track.periods
        ]
        if not given:
            return [
                way
                for address in self.premises.fixed_addresses(host)
                for way in self._answering(ServerPath(address, None, -FOREVER, FOREVER))
            ]
        found = []
        for place, zone, period in given:
            if period.value is None:
                continue
            for served in self.content(place, zone) if place != PARENT else (Period(-FOREVER, FOREVER, Content.WHOLE),):
                begins, ends = max(period.begins, served.begins), min(period.ends, served.ends)
                if served.value == Content.NOTHING or begins > ends:
                    continue
                for address in map(address_text, period.value.rdatas):
                    ttl = period.value.ttl
                    found += self._answering(
                        ServerPath(address, None, begins, ends + self.lasts(ttl), "", place, ends, ttl)
                    )
        return found

    def _answering(self, way: ServerPath) -> list[ServerPath]:
        """Who answers there, when."""
        track = self.timeline.answering.get(way.address)
        found = []
        if track is None:  # nobody is known to answer there
            return [way]
        for each in track.periods:
            begins, ends = max(way.begins, each.begins), min(way.ends, each.ends)
            if begins < ends:
                found.append(
                    ServerPath(way.address, each.value, begins, ends, each.step, way.told_by, way.fetched, way.ttl)
                )
        return found

    def unknown_until(self, host: Name) -> tuple[float, float] | None:
        """From when on the name server's name may be remembered as one that does not exist, and until when; None for
        never."""
        outside = next((each for each in self.premises.hosts if each.host == host), None)
        if outside is not None and outside.since is not None and outside.negative_ttl:
            return -FOREVER, outside.since + self.lasts(outside.negative_ttl)
        absent = [
            self._absence(zone, host) for zone in {zone for _, zone, name, _ in self.timeline.rrsets if name == host}
        ]
        times = [each for each in absent if each is not None]
        return min(times) if times else None

    def _absence(self, zone: Name, host: Name) -> tuple[float, float] | None:
        if zone == self.premises.parent_zone:
            return None  # glue is given along or not: nobody asks for it by itself
        tracks = [
            track
            for (_, each, name, rtype), track in self.timeline.rrsets.items()
            if (each, name) == (zone, host) and rtype in ADDRESSES
        ]
        if any(track.versions[0][0] is not None for track in tracks):
            if any(track.value is not None for track in tracks):
                return None
            gone = [each.begins for track in tracks for each in track.periods if each.value is None]
            return (min(gone), FOREVER) if gone else None
        born = min((each.ends for track in tracks for each in track.periods if each.value is None), default=-FOREVER)
        return (-FOREVER, born + self.lasts(self.premises.negative_ttl(zone)))


def build_stage(
    runbook: Runbook, slots: Sequence[Slot], signatures_end: Mapping[str, float] = MappingProxyType({})
) -> Playback:
    """The stage of a runbook carried out as ``slots`` say. ``signatures_end``: place → when those of the domain run out
    there."""
    premises = runbook.premises
    timeline = timeline_at_the_beginning(premises)
    for past in sorted(runbook.past, key=lambda each: each.first):
        for effect in past.effects:
            effect.play(timeline, past.first, FOREVER if past.everywhere is None else past.everywhere, past.label)
    ends, fresh = {slot.step.id: slot.ends for slot in slots}, dict(signatures_end)
    for slot in slots:
        for place in [place for place, at in fresh.items() if at <= slot.first]:
            _run_out(timeline, place, runbook.domain, fresh.pop(place))
        for effect in slot.step.effects:
            look = shown_by(runbook, slot.step, effect)
            everywhere = ends[look.id] if look is not None else FOREVER if effect.shown_later else slot.ends
            effect.play(timeline, slot.first, everywhere, slot.step.id)
    for place, at in fresh.items():
        _run_out(timeline, place, runbook.domain, at)
    for each in premises.vanishing:
        for place, zone in list(timeline.served):
            if place == each.place:
                timeline.set_content(place, zone, Content.NOTHING, each.at, each.at, VANISHED)
    return Playback(premises, timeline, premises.time_out + 1, premises.floor, tuple(_copies(runbook, timeline)))


def _run_out(timeline: Timeline, place: str, domain: Name, at: float) -> None:
    """From then on nothing that the place gives is proven, until it signs anew with other keys."""
    keys = timeline.keys_at(place, domain)
    if keys is not None:
        label = (f"keys whose signatures ran out at {instant_text(at)}",)
        timeline.set_keys(place, domain, Keys(label, (), label, keys.ttl), at, at, RUN_OUT)


def _copies(runbook: Runbook, timeline: Timeline) -> Iterator[tuple[str, Name, str]]:
    """Follower, zone and primary, of those that serve it in the end."""
    found = dict[tuple[str, Name], str]()
    for step in runbook.steps:
        for effect in step.effects:
            if isinstance(effect, Records):
                found |= {(place, effect.zone): effect.place for place in effect.follows}
            elif isinstance(effect, Joined):
                found[effect.place, effect.zone] = effect.primary
    return (
        (place, zone, primary)
        for (place, zone), primary in found.items()
        if timeline.content(place, zone) == Content.WHOLE
    )


VANISHED = "the end that the old side has set"
"""In the place of a step's name."""
RUN_OUT = "the end of the signatures"
"""In the place of a step's name."""
