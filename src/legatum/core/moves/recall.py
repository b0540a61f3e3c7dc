"""A plan with what is remembered beside it: what its places gave and its own steps do not account for - edits by hand,
commands broken off, what was so before it was drawn - caches may hold as well as what it gave itself."""

from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from dataclasses import replace
from typing import TypeVar

from legatum.core.calendar.instant import instant_text
from legatum.core.calendar.timing import Caution
from legatum.core.dnssec.serving import anchors_of
from legatum.core.memory.copies import HeldCopy
from legatum.core.memory.given import OWN_SERVERS
from legatum.core.moves.assembly import play, resolved
from legatum.core.moves.effects import Effect, Gave, ZoneMade
from legatum.core.moves.outcome import Outcome
from legatum.core.moves.place import PARENT, Premises
from legatum.core.moves.runbook import Past, Runbook, Step, happened_before, shown_by
from legatum.core.moves.timeline import Timeline, ValueHistory, timeline_at_the_beginning
from legatum.core.records.name import Name, name_text
from legatum.core.records.rrset import RRset, targets
from legatum.core.records.rrtype import DS, NS, type_text

_V = TypeVar("_V")
_GRAIN = 1.0  # seconds by which instants in journals may differ from one another
Remembered = Mapping[Name, Sequence[HeldCopy]]
"""Domain → what its places gave, and its parent for it."""


def recalled(runbook: Runbook, outcomes: Mapping[str, Outcome], remembered: Remembered, now: float) -> Runbook:
    """With the waits that come of it. ``outcomes``: of the steps done."""
    caution = Caution(runbook.premises.floor, runbook.premises.time_out, runbook.margin)
    runbook = _with_own_ttls(runbook, remembered, caution)
    timeline, happened = timeline_at_the_beginning(runbook.premises), happened_before(runbook)
    for each in runbook.past:
        play(timeline, each.effects, each.first, each.label)
    for step in runbook.steps:
        if step.id in outcomes:
            play(timeline, step.effects, outcomes[step.id].first, step.id)
            looks = [look for effect in step.effects if (look := shown_by(runbook, step, effect)) is not None]
            if all(look.id in outcomes for look in looks):
                happened[step.id] = max(outcomes[one.id].all for one in (step, *looks))
    there = {each.label for each in runbook.past}
    # What has not ended is the present: that is looked at when a hold begins, and held against the plan then.
    known = runbook.known_keys
    counted = {
        domain: [each for each in copies if each.ended and _is_known(each, known)]
        for domain, copies in remembered.items()
    }
    found = remembered_past(runbook.premises, timeline, happened, counted, caution, now)
    more = [past for past in found if past.label not in there]
    if not more:
        return runbook
    past = (*runbook.past, *more)
    return replace(runbook, past=past, steps=resolved(runbook.steps, runbook.premises, past, caution))


def _with_own_ttls(runbook: Runbook, remembered: Remembered, caution: Caution) -> Runbook:
    """Places that write their NS set themselves give it with a TTL of their own, which is known once it was seen."""
    own, steps = {place.name for place in runbook.premises.places if place.own_ns}, runbook.steps
    for domain, copies in remembered.items():
        for copy in copies:
            if copy.place in own and copy.key == (domain, NS) and copy.rrset is not None and not copy.ended:
                steps = tuple(_given_so(step, copy.place, domain, copy.rrset) for step in steps)
    if steps == runbook.steps:
        return runbook
    return replace(runbook, steps=resolved(steps, runbook.premises, runbook.past, caution))


def _given_so(step: Step, place: str, zone: Name, ns: RRset) -> Step:
    def so(effect: Effect) -> Effect:
        if (
            not isinstance(effect, ZoneMade)
            or (effect.place, effect.zone) != (place, zone)
            or effect.ns.rdatas != ns.rdatas
        ):
            return effect
        return replace(effect, rrsets=tuple(ns if each == effect.ns else each for each in effect.rrsets))

    return replace(step, effects=tuple(map(so, step.effects)))


def _is_known(copy: HeldCopy, keys: Collection[str]) -> bool:
    """A DS set of keys that the plan calls by their tags; of one that was to come it is told otherwise."""
    if copy.rtype != DS or copy.rrset is None:
        return True
    return anchors_of(copy.rrset.rdatas, copy.ttl).labels <= set(keys)


def remembered_past(
    premises: Premises,
    timeline: Timeline,
    happened: Mapping[str, float],
    remembered: Remembered,
    caution: Caution,
    now: float,
) -> list[Past]:
    """What somebody may hold and ``timeline`` does not account for. ``happened``: label → when it was true of all
    servers."""
    found = dict[str, Past]()
    for domain, copies in remembered.items():
        held = [each for each in copies if each.until(caution) > now]
        asked = _asked(domain, held, timeline)
        for copy in held:
            if copy.place in asked:
                found |= {past.label: past for past in _unexplained(copy, domain, timeline, premises, happened)}
    return list(found.values())


def _asked(domain: Name, held: Sequence[HeldCopy], timeline: Timeline) -> set[str]:
    """Places that caches may have what they gave from: the plan's own, and those to which an NS set leads that the
    parent gave lately. What was only made ready somewhere nobody has."""
    found = {PARENT, OWN_SERVERS, *(place for place, zone in timeline.served if zone == domain)}
    sets = [each for each in held if each.key == (domain, NS)]
    led = {host for each in sets if each.place == PARENT for host in targets(each.rrset)}
    return found | {each.place for each in sets if led & set(targets(each.rrset))}


def _unexplained(
    copy: HeldCopy, domain: Name, timeline: Timeline, premises: Premises, happened: Mapping[str, float]
) -> Iterator[Past]:
    """Nothing for what the plan has in its own history, at least as long, or does not rest on."""
    zone = premises.parent_zone if copy.place == PARENT else domain
    served = [place for place, each in timeline.served if each == zone]
    if copy.rtype == DS and copy.place == PARENT and copy.rrset is not None:
        given = anchors_of(copy.rrset.rdatas, copy.ttl)
        track = timeline.ds_sets.get(copy.name)
        if track is None or not _gave(
            track, lambda one: set(one.records) == set(given.records) and one.ttl >= given.ttl, copy, happened
        ):
            yield _past(copy, PARENT, zone, copy.rrset)
        return
    tracks = dict(timeline.histories(zone, copy.key))
    if not served or not tracks or copy.rtype == DS:
        return
    place = copy.place if copy.place in served else served[0]
    rrset = copy.as_given(tracks[place].value if place in tracks else None)
    if rrset is not None and not any(
        _gave(track, lambda one: _covers(one, rrset), copy, happened) for track in tracks.values()
    ):
        yield _past(copy, place, zone, rrset)


def _past(copy: HeldCopy, place: str, zone: Name, rrset: RRset) -> Past:
    where, until = copy.place or place, instant_text(copy.given_until)
    label = f"{name_text(copy.name)} {type_text(copy.rtype)} with {copy.ttl} at {where} until {until}"
    return Past(label, (Gave(place, zone, rrset),), copy.since, copy.given_until)


def _covers(one: RRset | None, rrset: RRset) -> bool:
    return one is not None and one.rdatas == rrset.rdatas and one.ttl >= rrset.ttl


def _gave(track: ValueHistory[_V], is_it: Callable[[_V], bool], copy: HeldCopy, happened: Mapping[str, float]) -> bool:
    """The plan knows that it was given as late as the copy, with this TTL or a longer one."""
    return any(
        is_it(value) and (ended is None or ended not in happened or happened[ended] + _GRAIN >= copy.given_until)
        for value, ended in track.versions
    )
