"""Nobody holds anything that would be bogus beside what is given (rules 6 to 9).

A DS set, a key set and signed data that a cache holds, each from another moment, must fit each other. Of every
combination that does not, one part is old and given no longer, else no wait would help: it has to have left the caches
before the new one comes.
"""

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from itertools import product

from legatum.core.calendar.timing import Caution, Wait
from legatum.core.dnssec.trust import DsSet, Keys, ds_matches, validates
from legatum.core.moves.effects import DsChanged, Effect
from legatum.core.moves.needs import ChainConsistent, DsExpired, NoLongerQueried
from legatum.core.moves.place import PARENT, Premises
from legatum.core.moves.timeline import Content, Timeline, ValueHistory
from legatum.core.moves.waiting.ns_waits import hosts_at, still_led, unasked, wait_for
from legatum.core.records.name import Name
from legatum.core.records.rrset import targets
from legatum.core.records.rrtype import NS

_NOW = "with this step"


def ds_expired(need: DsExpired, timeline: Timeline, caution: Caution) -> Iterator[Wait]:
    for each in _sets(need.domain, timeline, caution):
        yield from each.waits if each.value else ()


@dataclass(frozen=True, slots=True)
class _Held:
    """What caches may hold. ``waits``: until nobody holds it any more; none where it is given still."""

    value: DsSet | Keys | None
    waits: tuple[Wait, ...] = ()


def fitting(
    need: ChainConsistent, timeline: Timeline, effects: Iterable[Effect], premises: Premises, caution: Caution
) -> Iterator[Wait]:
    """``timeline``: before the step, ``effects``: its own. What takes a DS set away, and does nothing else, has nothing
    to wait for."""
    effects = list(effects)
    if effects and all(isinstance(each, DsChanged) and not each.after for each in effects):
        return
    after = timeline.copy()
    for effect in effects:
        effect.play(after, 0, 0, _NOW)
    ds_sets = _sets(need.zone, after, caution)
    before = _asked(need.zone, (), after, premises)
    asked = _asked(need.zone, need.places, after, premises)
    places = [each for each in asked if (each, need.zone) in after.served or each == PARENT]  # that has the zone above

    def held(ttl: int | None) -> list[_Held]:
        given = (
            (place, each)
            for place in places
            for each in _given(place, need.zone, after, premises, caution, need.places, ttl)
        )
        return [each for place, each in given if place in before or not each.waits]  # what nobody was led to nobody has

    keys, data = held(None), held(premises.longest_ttl(need.zone))
    for anchors, given in product(ds_sets, keys):
        if not _fits(anchors, given):
            yield from _apart([anchors, given])
            continue
        for answer in data if anchors.value and given.value is not None else ():
            if not _fits(anchors, given, answer):
                yield from _apart([anchors, given, answer])


def _fits(anchors: _Held, keys: _Held, data: _Held | None = None) -> bool:
    assert isinstance(anchors.value, DsSet) and not isinstance(keys.value, DsSet)
    if data is None:
        return ds_matches(anchors.value, keys.value)
    assert keys.value is not None and not isinstance(data.value, DsSet)
    return validates(keys.value, data.value)


def _apart(parts: Sequence[_Held]) -> tuple[Wait, ...]:
    """Until the last of them that is old has gone: with something that is given now it must not meet."""
    old = [each for each in parts if each.waits]
    return old[-1].waits if 0 < len(old) < len(parts) else ()


def _sets(domain: Name, timeline: Timeline, caution: Caution) -> list[_Held]:
    """Every DS set that the parent gave, and gives."""
    track, found = timeline.ds_sets.get(domain), list[_Held]()
    for anchors, ended in track.versions if track is not None else ():
        because = f"the parent handed out {anchors.short_text} until {{at}} with a TTL of {anchors.ttl}"
        if ended != _NOW:
            found.append(
                _Held(anchors, () if ended is None else (wait_for(ended, [anchors.ttl], 7, because, caution),))
            )
    return found


def _asked(zone: Name, places: Sequence[str], timeline: Timeline, premises: Premises) -> list[str]:
    """Places that anybody was ever led to for the zone, and those that everybody is led to from now on."""
    found = dict.fromkeys(places)
    sets = [
        (place, origin, ns)
        for (place, origin, name, rtype), track in timeline.rrsets.items()
        if rtype == NS and name == zone
        for ns, _ in track.versions
        if ns is not None
    ]
    hosts = {place.name: hosts_at(place.name, timeline, premises) for place in premises.places}
    grown = True
    while grown:
        told = {
            host
            for place, origin, ns in sets
            if place == PARENT or origin != zone or place in found
            for host in targets(ns)
        }
        more = [place for place, each in hosts.items() if place not in found and each & told]
        found |= dict.fromkeys(more)
        grown = bool(more)
    return list(found)


def _given(
    place: str,
    zone: Name,
    timeline: Timeline,
    premises: Premises,
    caution: Caution,
    led: Sequence[str],
    ttl: int | None,
) -> Iterator[_Held]:
    """Key sets that a place gave, and gives; with a ``ttl`` data, by what they are signed with."""
    track = timeline.signed.get((place, zone)) or ValueHistory[Keys | None](None)
    what = "keys" if ttl is None else "answers signed"
    for keys, ended in track.versions:
        own = keys.ttl if keys is not None else premises.negative_ttl(zone)
        kept = own if ttl is None else ttl
        said = (
            f"{what} with {keys.text if ttl is None else ', '.join(keys.zone)}"
            if keys is not None
            else f"{what.split()[0]} unsigned"
        )
        if ended == _NOW or (ended is not None and keys is None and _made_by(place, zone, ended, timeline)):
            continue
        if ended is not None:
            before = "was not known to be signed before {at}: what it gave unsigned"
            because = (
                f"{place} {f'gave {said} until {{at}}, and that' if keys is not None else before} may be "
                f"kept for {kept} s"
            )
            yield _Held(keys, (wait_for(ended, [kept], 9 if ttl is None else 6, because, caution),))
        elif place in led or still_led(NoLongerQueried(place, zone), timeline, premises):
            yield _Held(keys)
        else:
            waits = unasked(NoLongerQueried(place, zone), timeline, premises, caution)
            words = f"{{}}; what {place} gives, {said}, may be kept for {kept} s more"
            found = tuple(
                Wait(
                    each.after,
                    each.seconds + caution.lasts(kept),
                    each.slack + caution.slack(1),
                    8,
                    words.format(each.because),
                )
                for each in waits
            )
            if found:
                yield _Held(keys, found)


def _made_by(place: str, zone: Name, step: str, timeline: Timeline) -> bool:
    """The zone came there with that step: what is made signed was never given unsigned."""
    track = timeline.served.get((place, zone))
    return track is not None and any(value != Content.WHOLE and ended == step for value, ended in track.versions)
