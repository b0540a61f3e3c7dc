"""A rehearsal: safe under a printed model, or how somebody would notice, with the remedy; and everything that it rests
on."""

import re
from collections.abc import Iterator, Sequence
from itertools import pairwise
from typing import Any

from legatum.core.calendar.instant import instant_text
from legatum.core.moves.place import ADDRESSES, PARENT
from legatum.core.moves.timeline import FOREVER, Content, ValueHistory
from legatum.core.records.name import Name, name_text
from legatum.core.records.presentation import rdata_texts
from legatum.core.records.rrset import RRset
from legatum.core.records.rrtype import NS, type_text
from legatum.core.rehearsal import Counterexample, Playback, Rehearsal
from legatum.core.rehearsal.population import Shares
from legatum.core.rehearsal.verdict import MODEL, needed
from legatum.core.zones.zone import Zone
from legatum.views.document import Document, Part
from legatum.views.moves.ground import GroundPart, TimelinePart, ground_part, timeline_part
from legatum.views.screen import BAD, QUIET, STRONG, Screen

_INSTANT = re.compile(r"\d{4}-\d\d-\d\dT\d\d:\d\d:\d\dZ")
_LENGTH = re.compile(r"\b\d+ (?:s|min|h|d)\b")


class CounterexamplePart(Part):
    caches: list[str]
    schedule: str
    at: str
    story: list[str]
    remedy: str


class SetPart(Part):
    """An RRset as it is given."""

    ttl: int
    data: list[str]


class VersionPart(Part):
    """What a zone holds: ``rrsets`` by ``NAME TYPE``, those that the plan follows; with them, where ``whole``,
    everything of ``zone`` of the document that they do not speak of. ``negative_ttl``: how long *no such name* is
    kept."""

    origin: str
    whole: bool
    negative_ttl: int
    rrsets: dict[str, SetPart]


class ServedPart(Part):
    """From when on, first and last, what is given at an address (null: from ever, or for ever): ``versions`` of the
    document by number. Where two overlap, either may be had. None: nobody answers, or not for these zones."""

    first: str | None
    last: str | None
    versions: list[int]


class AddressPart(Part):
    schedule: str
    place: str
    servers: list[str]
    address: str
    served: list[ServedPart]


class AllowedPart(Part):
    """``data``: an answer that is right from ``first`` to ``last``; null for *no such name*."""

    data: list[str] | None
    first: str | None
    last: str | None


class QuestionPart(Part):
    """What visitors ask for, and the answers that are right, from when on. A question that is not here is right if it
    is answered as ``zone`` of the document has it."""

    schedule: str
    name: str
    type: str
    allowed: list[AllowedPart]


class CrowdPart(Part):
    """A third of a population: the last side that caches were answered by, and the largest share of them that failed at
    one time; ``reached``: when so many in a hundred were answered by it."""

    caches: str
    side: str
    failed: float
    reached: dict[str, str]


class RehearsalDocument(Document, tag="legatum.rehearsal/2"):
    """``ground`` and ``timelines``: everything the verdict rests on, so that another checker can be run on it;
    ``versions``, ``addresses``, ``questions``: the same seen from the addresses that are asked, whole zones at a time,
    without signing and what is remembered beside; ``zone``: the domain's whole zone as it was gathered. ``uncovered``:
    what the model knows nothing of; ``safe`` is then false."""

    domain: str
    safe: bool
    uncovered: list[str]
    model: list[str]
    counterexamples: list[CounterexamplePart]
    copies_followed: int
    lag: int
    floor: int
    versions: list[VersionPart]
    addresses: list[AddressPart]
    questions: list[QuestionPart]
    zone: dict[str, SetPart]
    population: list[CrowdPart]
    ground: GroundPart
    timelines: list[TimelinePart]


def rehearsal_document(rehearsal: Rehearsal, zone: Zone | None, crowd: Sequence[Shares] = ()) -> RehearsalDocument:
    playback = next(iter(rehearsal.stages.values()))
    versions: list[VersionPart] = []
    addresses = [part for schedule, each in rehearsal.stages.items() for part in _addresses(schedule, each, versions)]
    return RehearsalDocument(
        domain=name_text(rehearsal.runbook.domain),
        safe=rehearsal.safe,
        uncovered=list(rehearsal.uncovered),
        model=list(MODEL),
        counterexamples=[_example(each) for each in rehearsal.counterexamples],
        copies_followed=rehearsal.checked,
        lag=playback.lag,
        floor=playback.floor,
        versions=versions,
        addresses=addresses,
        questions=[part for schedule, each in rehearsal.stages.items() for part in _questions(schedule, each)],
        zone={_key_text(each.name, each.rtype): _set(each) for each in zone} if zone else {},
        population=[_crowd(each) for each in crowd],
        ground=ground_part(playback, rehearsal.runbook.drafted),
        timelines=[timeline_part(schedule, each) for schedule, each in rehearsal.stages.items()],
    )


def _crowd(shares: Shares) -> CrowdPart:
    side = list(shares.answered)[-1]
    reached = {}
    for percent in (1, 50, 90, 99, 100):
        there = [
            at for at, share in zip(shares.times, shares.answered[side], strict=True) if share * 100 >= percent - 1e-9
        ]
        if there:
            reached[str(percent)] = instant_text(float(there[0]))
    return CrowdPart(caches=str(shares.kind), side=side, failed=round(float(shares.failed.max()), 4), reached=reached)


def _example(each: Counterexample) -> CounterexamplePart:
    return CounterexamplePart(
        caches=[str(kind) for kind in each.kinds],
        schedule=each.schedule,
        at=instant_text(each.at),
        story=list(each.story),
        remedy=each.remedy,
    )


def _key_text(name: Name, rtype: int) -> str:
    return f"{name_text(name)} {type_text(rtype)}"


def _set(rrset: RRset) -> SetPart:
    return SetPart(ttl=rrset.ttl, data=rdata_texts(rrset))


def _addresses(schedule: str, playback: Playback, versions: list[VersionPart]) -> Iterator[AddressPart]:
    servers: dict[str, list[str]] = {}
    for place in playback.premises.places:
        for host, addresses in place.servers.items():
            for address in addresses:
                servers.setdefault(address, []).append(name_text(host))
    for address, track in playback.timeline.answering.items():
        served = []
        for period in track.periods:
            if period.value is None:
                served.append(_served(period.begins, period.ends, []))
                continue
            for begins, ends, numbers in _contents(playback, period.value, versions):
                first, last = max(begins, period.begins), min(ends, period.ends)
                if first < last:
                    served.append(_served(first, last, numbers))
        answering = next((period.value for period in track.periods if period.value), "")
        yield AddressPart(
            schedule=schedule, place=answering, servers=servers.get(address, []), address=address, served=served
        )


def _served(first: float, last: float, numbers: list[int]) -> ServedPart:
    return ServedPart(first=_instant(first), last=_instant(last), versions=numbers)


def _contents(playback: Playback, place: str, versions: list[VersionPart]) -> Iterator[tuple[float, float, list[int]]]:
    """What the place gives between two changes of anything that it gives; where a change is on its way, once with the
    old and once with the new."""
    zones = [zone for where, zone in playback.timeline.served if where == place]
    tracks: list[ValueHistory[Any]] = [
        track for (where, *_), track in playback.timeline.rrsets.items() if where == place
    ]
    tracks += [track for (where, _), track in playback.timeline.served.items() if where == place]
    changes = sorted({(period.begins, before.ends) for track in tracks for before, period in pairwise(track.own)})
    edges = [(-FOREVER, -FOREVER), *changes, (FOREVER, FOREVER)]
    for (first, _), (_, last) in pairwise(edges):
        numbers = [
            _numbered(version, versions)
            for zone in zones
            if (version := _version(playback, place, zone, first, edges)) is not None
        ]
        if first < last:
            yield first, last, numbers


def _version(
    playback: Playback, place: str, zone: Name, at: float, edges: list[tuple[float, float]]
) -> VersionPart | None:
    """The newest that is given just after ``at``."""
    moment = next((first for first, _ in edges if first > at), FOREVER)
    when = at if at == -FOREVER else min(at, moment)
    content = playback.content(place, zone) if place != PARENT else ()
    state = next((each.value for each in reversed(content) if each.begins <= when), Content.WHOLE)
    if state == Content.NOTHING:
        return None
    rrsets = {}
    for name, rtype in playback.timeline.keys(zone):
        track = playback.timeline.rrsets.get((place, zone, name, rtype))
        given = next(
            (each.value for each in reversed(track.own if track is not None else ()) if each.begins <= when), None
        )
        if given is not None:
            rrsets[_key_text(name, rtype)] = _set(given)
    whole = state == Content.WHOLE and place != PARENT
    return VersionPart(
        origin=name_text(zone), whole=whole, negative_ttl=playback.premises.negative_ttl(zone), rrsets=rrsets
    )


def _numbered(version: VersionPart, versions: list[VersionPart]) -> int:
    if version not in versions:
        versions.append(version)
    return versions.index(version)


def _questions(schedule: str, playback: Playback) -> Iterator[QuestionPart]:
    wanted = needed(playback)
    seen = dict.fromkeys(
        (zone, name, rtype) for place, zone, name, rtype in playback.timeline.rrsets if place != PARENT and rtype != NS
    )  # fmt: skip
    for zone, name, rtype in seen:
        allowed = list(_allowed(playback, zone, name, rtype))
        if (name, rtype) not in wanted:
            allowed.append(AllowedPart(data=None, first=None, last=None))
        yield QuestionPart(schedule=schedule, name=name_text(name), type=type_text(rtype), allowed=allowed)


def _allowed(playback: Playback, zone: Name, name: Name, rtype: int) -> Iterator[AllowedPart]:
    values = dict.fromkeys(
        period.value.rdatas
        for _, track in playback.timeline.histories(zone, (name, rtype))
        for period in track.periods
        if period.value is not None
    )
    for rdatas in values:
        rrset = RRset(name, rtype, 0, rdatas)
        ends = _dead_from(playback, rrset) if rtype in ADDRESSES else FOREVER
        yield AllowedPart(data=rdata_texts(rrset), first=None, last=_instant(ends))


def _dead_from(playback: Playback, rrset: RRset) -> float:
    ends = [
        period.begins
        for text in rdata_texts(rrset)
        if text in playback.timeline.services
        for period in playback.timeline.services[text].periods
        if not period.value
    ]
    return min(ends, default=FOREVER)


def _instant(instant: float) -> str | None:
    return None if instant in (FOREVER, -FOREVER) else instant_text(instant)


def show_rehearsal(document: RehearsalDocument, screen: Screen, whole: bool = False) -> None:
    """``whole``: with the model, sentence by sentence."""
    if document.safe:
        text = (
            f"{document.domain}: safe under this model. {document.copies_followed} copies followed, none leads astray"
        )
        screen.verdict(True, text, f"`legatum move advance {document.domain}`")
    elif not document.counterexamples:
        text = (
            f"{document.domain}: not known to be safe: the model does not cover what this domain has. "
            f"{document.uncovered[0]}"
        )
        screen.verdict(False, text, f"`legatum move redraw {document.domain}` looks at it anew, and says what to do")
    else:
        first, latest = document.counterexamples[0], max(document.counterexamples, key=_until)
        count = len(document.counterexamples)
        text = (
            f"{document.domain}: not safe. {count} way{'s' if count > 1 else ''} in which visitors would "
            f"fail, first at {first.at}"
        )
        screen.verdict(False, text, latest.remedy)
    groups = [[each] for each in document.counterexamples] if whole else _by_remedy(document.counterexamples)
    for number, group in enumerate(groups, 1):
        each, more = group[0], f", and in {len(group) - 1} more ways (-v)" if group[1:] else ""
        screen.line()
        screen.line(f"{number}. A cache ({', '.join(each.caches)}), {_words(each.schedule)}{more}:", BAD)
        for sentence in each.story:
            screen.line(f"   {sentence}", indent=3)
        screen.line(f"   Remedy: {max(group, key=_until).remedy}", indent=11)
    for text in document.uncovered:
        screen.line(f"Not covered: {text}", BAD, indent=13)
    if document.population:
        screen.heading("A population of caches, as estimated")
        for part in document.population:
            reached = "; ".join(f"{percent} % at {at}" for percent, at in part.reached.items())
            failed = f"up to {part.failed:.1%} fail" if part.failed else "none fails"
            screen.line(f"- {part.caches}: {failed}; answered by {part.side}: {reached or 'none'}", indent=2)
    screen.line()
    if not whole:
        screen.line("What the model has in it, and what not: -v, or docs/trust.md", QUIET)
        return
    screen.line("The model", STRONG)
    for sentence in document.model:
        screen.line(f"- {sentence}", QUIET, indent=2)
    screen.line(f"- Here: floor {document.floor} s; time-out and a second: {document.lag} s.", QUIET, indent=2)


def _by_remedy(examples: Sequence[CounterexamplePart]) -> list[list[CounterexamplePart]]:
    """Those that one thing mends, if at other instants."""
    groups = dict[str, list[CounterexamplePart]]()
    for each in examples:
        groups.setdefault(" ".join(_LENGTH.sub("", _INSTANT.sub("", each.remedy)).split()), []).append(each)
    return list(groups.values())


def _until(each: CounterexamplePart) -> str:
    """The latest instant in its remedy."""
    return max(_INSTANT.findall(each.remedy), default="")


def _words(schedule: str) -> str:
    return {"as estimated": "when all goes as estimated", "every step at once": "when every step takes no time"}.get(
        schedule, f"when {schedule}"
    )
