"""Whether a validating cache would ever find something bogus: DS set, DNSKEY set and signed data, in any mix of ages
that it may hold.

Each of the three can be fetched at any moment at which a server that may be asked gives it, and is kept for its TTL; a
cache may forget any of them at any time, and fetch it anew. So whatever two or three spans overlap may be held
together, by one cache or by two behind one another, and must fit each other (RFC 4035 s5, RFC 6781 s4.1): the DS set
one of the keys that sign the key set, the key set one of the signatures over the data. Proofs of absence are signed as
data are.
"""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from typing import NamedTuple

from legatum.core.calendar.instant import instant_text
from legatum.core.dnssec.trust import DsSet, Keys, ds_matches, named_keys, validates
from legatum.core.moves.place import PARENT
from legatum.core.moves.timeline import FOREVER, Period
from legatum.core.records.name import Name, name_text
from legatum.core.rehearsal.playback import RUN_OUT, Playback

_GRAIN = 1e-6


class Askable(NamedTuple):
    """That a server of a place may be asked for the zone in that time."""

    place: str
    begins: float
    ends: float


class Bogus(NamedTuple):
    """A moment at which something does not fit, how it comes to that, and the step after which."""

    at: float
    story: tuple[str, ...]
    remedy: str
    step: str


@dataclass(frozen=True, slots=True)
class _Copy:
    """``keys``: a key set, or with what data are signed, of ``place``; None for unsigned. ``fetched``: the last moment
    at which it can be."""

    keys: Keys | None
    place: str
    begins: float
    ends: float
    fetched: float
    step: str


def bogus(playback: Playback, domain: Name, askable: Iterable[Askable], since: float) -> Iterator[Bogus]:
    """All that can go wrong for the domain from the instant ``since`` on, the first moment of each."""
    ds_sets = playback.timeline.ds_sets.get(domain)
    if ds_sets is None:
        return
    spans = [(each, each.ends + playback.lasts(each.value.ttl)) for each in ds_sets.periods if each.value]
    servers = _longest(askable)
    longest = max(playback.premises.longest_ttl(domain), 1)
    sets = list(_copies(playback, domain, servers, None))
    data = list(_copies(playback, domain, servers, longest))
    for period, ends in spans:
        for keys in sets:
            first, last = max(period.begins, keys.begins, since), min(ends, keys.ends)
            if not last - first > _GRAIN:
                continue
            if not ds_matches(period.value, keys.keys):
                yield _without_ds(domain, period, ends, keys, first, since)
        for keys in sets:
            if keys.keys is None or not ds_matches(period.value, keys.keys):
                continue
            for given in data:
                first = max(period.begins, keys.begins, given.begins, since)
                last = min(ends, keys.ends, given.ends)
                if last - first > _GRAIN and not validates(keys.keys, given.keys):
                    yield _unproven(domain, period, ends, keys, given, first, since)


def _longest(askable: Iterable[Askable]) -> list[Askable]:
    """Those that do not lie within another one."""
    kept: list[Askable] = []
    for each in sorted(set(askable), key=lambda each: (each.place, each.begins, -each.ends)):
        if not any(one.place == each.place and one.begins <= each.begins and each.ends <= one.ends for one in kept):
            kept.append(each)
    return kept


def _copies(playback: Playback, domain: Name, servers: Iterable[Askable], ttl: int | None) -> Iterator[_Copy]:
    """``ttl``: of data; None for key sets, which have their own."""
    for server in servers:
        track = playback.timeline.signed.get((server.place, domain))
        periods = track.periods if track is not None else (Period(-FOREVER, FOREVER, None),)
        for each in periods:
            begins, ends = max(server.begins, each.begins), min(server.ends, each.ends)
            if begins < ends or begins == ends == -FOREVER:
                own = each.value.ttl if each.value is not None else playback.premises.negative_ttl(domain)
                lasts = playback.lasts(own if ttl is None else ttl)
                step = (
                    each.step if each.begins >= server.begins else ""
                )  # else it could be had since somebody is led there
                yield _Copy(each.value, server.place, begins, ends + lasts, ends, step)


def _without_ds(domain: Name, anchors: Period[DsSet], until: float, keys: _Copy, at: float, since: float) -> Bogus:
    what = named_keys(keys.keys.published) if keys.keys is not None else "no keys at all"
    story = (
        _held(anchors, at),
        f"{_moment(min(keys.fetched, at))} it asks a server of {keys.place} for the keys of "
        f"{name_text(domain)}, and gets {what}.",
        f"At {instant_text(at)} none of them is one that the DS set matches: everything in "
        f"{name_text(domain)} is bogus to it.",
    )
    held = [
        _Part(anchors.begins, until, anchors.step, "that DS set"),
        _Part(keys.begins, keys.ends, keys.step, "those keys", keys.place),
    ]
    return Bogus(at, story, _remedy(held, at <= since), _later_step(anchors, keys))


def _unproven(
    domain: Name, anchors: Period[DsSet], until: float, keys: _Copy, given: _Copy, at: float, since: float
) -> Bogus:
    signed = f"signed with {named_keys(given.keys.zone)}" if given.keys is not None else "unsigned"
    known = named_keys(keys.keys.published) if keys.keys is not None else "nothing"
    story = (
        _held(anchors, at),
        f"{_moment(min(keys.fetched, at))} it gets the keys of {name_text(domain)} from {keys.place}: {known}.",
        f"{_moment(min(given.fetched, at))} a server of {given.place} gives an answer that is {signed}.",
        f"At {instant_text(at)} the keys do not prove the answer{_strictly(keys.keys, given.keys)}: it is bogus.",
    )
    held = [
        _Part(anchors.begins, until, anchors.step, "that DS set"),
        _Part(keys.begins, keys.ends, keys.step, "those keys", keys.place),
        _Part(given.begins, given.ends, given.step, "that answer", given.place),
    ]
    return Bogus(at, story, _remedy(held, at <= since), _later_step(anchors, given, keys))


def _strictly(keys: Keys | None, given: Keys | None) -> str:
    """Where a resolver that is content with one algorithm would take it."""
    known = set(keys.published) & set(given.zone) if keys is not None and given is not None else set()
    return " to a resolver that wants a signature of every algorithm in the key set" if known else ""


def _held(anchors: Period[DsSet], at: float) -> str:
    moment = _moment(min(anchors.ends, at))
    return (
        f"{moment} a validating resolver asks {PARENT} and gets {anchors.value.short_text}, to keep for "
        f"{anchors.value.ttl} s."
    )


class _Part(NamedTuple):
    """What a cache holds: fetched from when on, held until when, the step that brought it; ``what`` in words, and
    whose."""

    begins: float
    ends: float
    step: str
    what: str
    place: str = ""


def _remedy(held: list[_Part], already: bool) -> str:
    if any(each.step == RUN_OUT for each in held):
        return "have the provider sign the zone anew before that, and begin when it has; no wait of this plan helps"
    newest = max(held, key=lambda each: (each.begins, bool(each.step)))
    first = min((each for each in held if each is not newest), key=lambda each: (each.ends, not each.place))
    if newest.step:
        return (
            f"let the step '{newest.step}' come later: not before {_until(first.ends)}, when nobody holds {first.what}"
        )
    (anchors,) = (each for each in held if not each.place)
    place = newest.place or next(each.place for each in held if each.place)
    if already:
        return (
            f"it is so already, until {place} signs with those keys, or nobody holds that DS set any more "
            f"({_until(anchors.ends)})"
        )
    return f"nobody may be led to {place} before {_until(first.ends)}, when nobody holds {first.what}"


def _later_step(anchors: Period[DsSet], *copies: _Copy) -> str:
    return max([(anchors.begins, anchors.step), *((each.begins, each.step) for each in copies)])[1]


def _moment(instant: float) -> str:
    return "At any time" if instant in (FOREVER, -FOREVER) else f"Just before {instant_text(instant)}"


def _until(instant: float) -> str:
    return "the DS set has gone" if instant == FOREVER else instant_text(instant)
