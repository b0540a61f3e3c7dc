"""Whether anybody would notice: a moment at which some cache may ask where it is not answered as it should be, or use
an old answer."""

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, replace
from types import MappingProxyType

from legatum.core.calendar.duration import rough_text
from legatum.core.calendar.instant import instant_text
from legatum.core.moves.outcome import Outcome
from legatum.core.moves.place import ADDRESSES, PARENT, RRsetKey
from legatum.core.moves.runbook import Runbook, Slot, forecast
from legatum.core.moves.timeline import FOREVER, Content, Period
from legatum.core.records.address import address_text
from legatum.core.records.name import Name, is_under, name_text
from legatum.core.records.rrset import RRset
from legatum.core.records.rrtype import NS, type_text
from legatum.core.rehearsal.caches import CacheKind
from legatum.core.rehearsal.holding import CachedNsSet, holdings
from legatum.core.rehearsal.led import Astray, Source, dead_names, unlisted_senders
from legatum.core.rehearsal.playback import VANISHED, Playback, ServerPath, build_stage, lasting, original
from legatum.core.rehearsal.validation import Askable, bogus
from legatum.core.running.fault import GateShut

_LONG = 2 * 86400
_NEVER: Mapping[str, float] = MappingProxyType({})
_GRAIN = 0.001  # sums of instants are exact to less than this
MODEL = (
    "Kinds of cache: parent-trusting (keeps the parent's NS set for its TTL), child-trusting (replaces it "
    "once by the zone's own), "
    "sticky (each answer that carries the NS set renews it). Any cache may ask at any moment and forget "
    "anything at any moment.",
    "A change reaches the servers of a place one after the other, between the first and the last instant "
    "given; in between either "
    "answer may be had. What was observed when drafting, and nothing else is remembered of, is taken to have "
    "been so for ever before.",
    "A copy may be used until its TTL, or the floor where that is longer, has passed since the last moment "
    "at which it was handed "
    "out, and one query time-out and a second more. A name server's address may be had from every server "
    "that gives it.",
    "Validating caches may hold a DS set, a key set and data of any ages together, one cache or two behind "
    "each other: where the DS set "
    "is of no key that signs the key set, or no key of the set has signed the data, for every algorithm "
    "named, it is bogus; proofs of "
    "absence are signed as data are. Keys that a provider makes are taken to "
    "be there when it has the zone.",
    "Checked: nobody asks a server that does not serve the zone or is switched off, gets “no such name” for "
    "what is there before and "
    "after, keeps “no such name” for a name server, is sent to an address that works no more, has a set (MX, "
    "SRV, CNAME and others) that "
    "names a host of the domain without an address, or an SPF record without an address that mail comes from "
    "by then. Checked for steps "
    "that take no time, their estimated time, and two days each.",
    "Not in it: signatures that run out after the longest wait ahead (each step looks at them, rule 12); "
    "caches that deny names by proofs that they hold of others "
    "(RFC 8198); caches that ask through other caches, but for the second above and the "
    "margin; edits that somebody makes on one side only; servers of one place that answer differently by "
    "place or by chance; lost packets; "
    "what is said by the services behind the names. A domain that is given up leaves behind the caches that "
    "renew their copies.",
)


@dataclass(frozen=True, slots=True)
class Counterexample:
    """How somebody would notice: ``story``, dated, a sentence each; ``remedy``; the moment ``at`` which it goes wrong
    at the earliest.

    ``kinds``: the kinds of cache to which it can happen; ``schedule``: how long the steps take in it, in words;
    ``step``: that does it; ``until``: when it would do no harm any more, 0 where no waiting helps.
    """

    kinds: tuple[CacheKind, ...]
    schedule: str
    story: tuple[str, ...]
    remedy: str
    at: float
    step: str
    until: float = 0.0


@dataclass(frozen=True, slots=True)
class Rehearsal:
    """``counterexamples``: one for each way in which it goes wrong, empty for a safe runbook. ``stages``: schedule →
    contents.

    ``uncovered``: what this domain has, or may have, that the model knows nothing of: then nothing is called safe.
    """

    runbook: Runbook
    counterexamples: tuple[Counterexample, ...]
    stages: Mapping[str, Playback]
    checked: int
    uncovered: tuple[str, ...] = ()

    @property
    def safe(self) -> bool:
        return not self.counterexamples and not self.uncovered

    @property
    def mends(self) -> bool:
        """What goes wrong is so already, before any step, and the runbook is there to end it."""
        steps = {each.id for each in self.runbook.steps}
        return self.runbook.disconnects and not any(each.step in steps for each in self.counterexamples)


def schedules(runbook: Runbook, outcomes: Mapping[str, Outcome], now: float) -> Iterator[tuple[str, list[Slot]]]:
    """Ways in which the rest of the runbook may go: at once, as estimated, and each step in turn taking two days."""
    left = [step for step in runbook.steps if step.id not in outcomes]
    yield "as estimated", list(forecast(runbook, outcomes, now))
    yield "every step at once", list(forecast(runbook, outcomes, now, {step.id: 0 for step in left}))
    for step in left:
        yield f"{step.id} takes two days", list(forecast(runbook, outcomes, now, {step.id: _LONG}))


def rehearse(
    runbook: Runbook,
    outcomes: Mapping[str, Outcome],
    now: float,
    uncovered: Iterable[str] = (),
    ends: Mapping[str, float] = _NEVER,
) -> Rehearsal:
    """Follows every kind of cache through every schedule. Exact under :data:`MODEL`. ``uncovered``: what was seen since
    that the model knows nothing of; ``ends``: place → when its signatures run out, if nobody signs anew."""
    found: dict[tuple[CacheKind, str, str], Counterexample] = {}
    stages: dict[str, Playback] = {}
    checked = 0
    for schedule, slots in schedules(runbook, outcomes, now):
        playback = stages[schedule] = build_stage(runbook, slots, ends)
        for kind in CacheKind:
            spans = holdings(playback, kind)
            checked += sum(map(len, spans.values()))
            for example in counterexamples(playback, kind, schedule, runbook.drafted, spans):
                found.setdefault((kind, example.step, example.remedy.split(" begin ")[0]), example)
    examples = tuple(sorted(_told_once(found.values()), key=lambda each: (each.at, -each.until)))
    missing = (
        ()
        if runbook.premises.unsigned or runbook.premises.signing
        else ("it was not looked at whether the domain is signed, when this was drafted",)
    )
    return Rehearsal(runbook, examples, stages, checked, (*missing, *uncovered))


def counterexamples(
    playback: Playback,
    kind: CacheKind,
    schedule: str,
    since: float,
    spans: Mapping[Name, list[CachedNsSet]] | None = None,
) -> Iterator[Counterexample]:
    """All that can go wrong with caches of that kind from ``since`` on: what has happened has happened. ``spans``: what
    they may hold (:func:`~legatum.core.rehearsal.holding.holdings`)."""
    judge = _Judge(playback, kind, schedule, since)
    wrong = judge.wrong(holdings(playback, kind) if spans is None else spans)
    yield from (each for each in (*wrong, *judge.left_behind()) if each.at + _GRAIN >= since)


def require_safe(rehearsal: Rehearsal) -> None:
    """What is left of the runbook must be safe for every kind of cache. Raises :class:`GateShut` with the story of one
    that is not."""
    domain = name_text(rehearsal.runbook.domain)
    if rehearsal.uncovered:
        raise GateShut(
            f"{domain}: whether this is safe is not known: {'; '.join(rehearsal.uncovered)}",
            f"have the plan drawn anew, which looks at it: `legatum move redraw {domain}`; against its "
            "advice: --unproven",
        )
    if not rehearsal.safe and not rehearsal.mends:
        example = rehearsal.counterexamples[0]
        kinds = ", ".join(example.kinds)
        raise GateShut(
            f"{domain}: the rehearsal finds that visitors would fail ({kinds} caches). {' '.join(example.story)}",
            f"{example.remedy}. All of it: `legatum move rehearse {domain}`; against its advice: --unproven",
        )


def _told_once(examples: Iterable[Counterexample]) -> Iterator[Counterexample]:
    """One story for all kinds of cache to which the same happens."""
    same: dict[tuple[str, tuple[str, ...]], list[Counterexample]] = {}
    for each in examples:
        same.setdefault((each.schedule, each.story), []).append(each)
    for group in same.values():
        yield replace(group[0], kinds=tuple(dict.fromkeys(kind for each in group for kind in each.kinds)))


@dataclass(frozen=True, slots=True)
class _Asked:
    """That a server of a place may be asked for a zone, by a cache that holds ``span``."""

    zone: Name
    place: str
    begins: float
    ends: float
    span: CachedNsSet
    way: ServerPath


class _Judge:
    """One kind of cache on one stage."""

    def __init__(self, playback: Playback, kind: CacheKind, schedule: str, drafted: float) -> None:
        self._stage, self._kind, self._schedule, self._drafted = playback, kind, schedule, drafted

    def wrong(self, spans: Mapping[Name, list[CachedNsSet]]) -> Iterator[Counterexample]:
        asked: list[_Asked] = []
        for zone, held in spans.items():
            for span in held:
                for host in span.names:
                    yield from self._unknown(span, host)
                    for way in self._stage.ways_to(host):
                        begins, ends = max(span.begins, way.begins), min(span.ends, way.ends)
                        if not begins + _GRAIN < ends:
                            continue
                        if way.place is None:
                            if begins > -FOREVER:
                                yield self._switched_off(span, way, begins)
                            continue
                        asked.append(_Asked(zone, way.place, begins, ends, span, way))
        for each in asked:
            if not (each.span.renewed and self._is_given_up(each.zone)):
                yield from self._badly_served(each)
        yield from self._bad_answers(asked)
        yield from self._led_astray(asked)
        for zone in spans:
            servers = [Askable(each.place, each.begins, each.ends) for each in asked if each.zone == zone]
            for found in bogus(self._stage, zone, servers, self._drafted):
                yield self._example(found.story, found.remedy, found.at, found.step)

    def _is_given_up(self, zone: Name) -> bool:
        """Nobody delegates it any more, at some time: caches that renew their copies are left behind."""
        track = self._stage.timeline.rrsets.get((PARENT, self._stage.premises.parent_zone, zone, NS))
        return track is not None and any(value is None for value, _ in track.versions[1:])

    def left_behind(self) -> Iterator[Counterexample]:
        """Copies of a zone that are not what they are a copy of, when everything is done."""
        for follower, zone, primary in self._stage.copies:
            for key in self._stage.timeline.keys(zone):
                left, right = self._stage.said(primary, zone, key), self._stage.said(follower, zone, key)
                if left and right and (last := lasting(left)).value != lasting(right).value:
                    text = f"{name_text(key[0])} {type_text(key[1])}"
                    story = (
                        f"With the step '{last.step}' {primary} has a serial that is not newer than the one "
                        f"at {follower} (RFC 1982).",
                        f"{follower} takes no copy any more, and goes on with an old {text}: it stops when "
                        "the zone expires there.",
                    )
                    yield self._example(
                        story,
                        "come to the serial in steps, each on every server before the next",
                        last.begins,
                        last.step,
                    )
                    return

    def _example(self, story: Iterable[str], remedy: str, at: float, step: str, until: float = 0.0) -> Counterexample:
        return Counterexample((self._kind,), self._schedule, tuple(story), remedy, at, step, until)

    def _unknown(self, span: CachedNsSet, host: Name) -> Iterator[Counterexample]:
        unknown = self._stage.unknown_until(host)
        if unknown is None:
            return
        begins, ends = max(span.begins, unknown[0]), min(span.ends, unknown[1])
        if not begins + _GRAIN < ends or begins == -FOREVER:
            return
        text = name_text(host)
        if unknown[0] == -FOREVER:
            story: tuple[str, ...] = (
                f"A cache was asked for {text} before its address was there, and keeps “no such name” until "
                f"{instant_text(ends)}.",
                f"At {instant_text(begins)} it gets an NS set that names {text}, and finds no address for "
                "it: visitors fail.",
            )
            yield self._example(
                story, f"let {text} be named for nobody before {instant_text(unknown[1])}", begins, _first_step(span)
            )
            return
        story = (
            *self._how_held(span, begins),
            f"At {instant_text(begins)} it looks for the address of {text}, which is gone: visitors fail.",
        )
        yield self._example(
            story,
            f"take {text} away only when nobody holds an NS set that names it, at {_end_text(span.ends)}",
            begins,
            "gone",
        )

    def _switched_off(self, span: CachedNsSet, way: ServerPath, at: float) -> Counterexample:
        told = (
            f"It has the address {way.address} from {way.told_by}, given until {_until_text(way.fetched)} "
            f"with a TTL of {way.ttl}."
            if way.told_by
            else ""
        )
        story = [
            *self._how_held(span, at),
            told,
            f"At {instant_text(at)} it asks {way.address}, where nobody answers any more: visitors fail.",
        ]
        ends = min(span.ends, way.ends)
        return self._example(
            [each for each in story if each], _later(way.step, at, ends, way.address), at, way.step, ends
        )

    def _badly_served(self, asked: _Asked) -> Iterator[Counterexample]:
        for period in self._stage.content(asked.place, asked.zone):
            if period.value == Content.WHOLE:
                continue
            begins, ends = max(asked.begins, period.begins), min(asked.ends, period.ends)
            if not begins + _GRAIN < ends or begins == -FOREVER:
                continue
            problem = (
                "which does not serve the zone"
                if period.value == Content.NOTHING
                else "which has only an empty zone: “no such name”"
            )
            server = self._server(asked)
            story = (
                *self._how_held(asked.span, begins),
                f"At {instant_text(begins)} it asks {server}, {problem}: visitors fail.",
            )
            names = ", ".join(map(name_text, asked.span.names))
            earlier = any(
                each.value == Content.WHOLE and each.begins < period.begins
                for each in self._stage.content(asked.place, asked.zone)
            )
            if earlier:
                yield self._example(
                    story, _later(period.step, period.begins, asked.ends, names), begins, period.step, asked.ends
                )
            else:
                into = _first_step(asked.span)
                yield self._example(story, f"publish the whole zone on {names} before the step '{into}'", begins, into)

    def _server(self, asked: _Asked) -> str:
        """A name server of the copy that leads to the place."""
        host = next((host for host in asked.span.names if asked.way in self._stage.ways_to(host)), asked.span.names[0])
        return name_text(host)

    def _bad_answers(self, asked: list[_Asked]) -> Iterator[Counterexample]:
        wanted = needed(self._stage)
        done: set[tuple[Name, str, float, float]] = set()
        for each in asked:
            if (mark := (each.zone, each.place, each.begins, each.ends)) in done:
                continue
            done.add(mark)
            for key in self._stage.timeline.keys(each.zone):
                if key[1] == NS:
                    continue
                for period in self._stage.said(each.place, each.zone, key):
                    begins, ends = max(each.begins, period.begins), min(each.ends, period.ends)
                    if not begins + _GRAIN < ends:
                        continue
                    if period.value is None:
                        yield from self._missing(each, key, period, begins, ends, wanted)
                    elif key[1] in ADDRESSES:
                        yield from self._dead_end(each, key, period.value, begins, ends)

    def _missing(
        self,
        asked: _Asked,
        key: RRsetKey,
        period: Period[RRset | None],
        begins: float,
        ends: float,
        wanted: set[RRsetKey],
    ) -> Iterator[Counterexample]:
        if key not in wanted or begins == -FOREVER:
            return
        for served in self._stage.content(asked.place, asked.zone):
            if served.value != Content.WHOLE or self._is_cut(asked, key[0]):
                continue
            first, last = max(begins, served.begins), min(ends, served.ends)
            if first + _GRAIN < last:
                text = f"{name_text(key[0])} {type_text(key[1])}"
                story = (
                    *self._how_held(asked.span, first),
                    f"At {instant_text(first)} it asks {self._server(asked)} for {text} and gets “no such "
                    "name”: visitors fail.",
                )
                step = period.step or _first_step(asked.span)
                yield self._example(story, f"have {text} answered there before the step '{step}'", first, step)

    def _led_astray(self, asked: list[_Asked]) -> Iterator[Counterexample]:
        sources = [Source(each.zone, each.place, each.begins, each.ends) for each in asked]
        for each in dead_names(self._stage, sources, lambda number, name: self._is_cut(asked[number], name)):
            told = (
                f"At {instant_text(each.at)} it looks for the address of {each.what}, and there is none: visitors fail."
            )
            yield self._of_data(asked[each.source], each, told, f"everybody who has it finds {each.what}")
        for each in unlisted_senders(self._stage, sources):
            told = (
                f"At {instant_text(each.at)} mail comes from {each.what}, which is not in it: it is refused, "
                "or taken for spam."
            )
            yield self._of_data(asked[each.source], each, told, f"nobody has one without {each.what}")

    def _of_data(self, asked: _Asked, astray: Astray, told: str, once: str) -> Counterexample:
        text = f"{name_text(astray.key[0])} {type_text(astray.key[1])}"
        story = (
            *self._how_held(asked.span, astray.got),
            f"{_moment(astray.got)} it asks {self._server(asked)} for {text}, to keep for {astray.rrset.ttl} s.",
            told,
        )
        remedy = f"let the step '{astray.step}' come later: not before {_end_text(astray.until)}, when {once}"
        return self._example(story, remedy, astray.at, astray.step, astray.until)

    def _is_cut(self, asked: _Asked, name: Name) -> bool:
        """A referral is given for it, at some time: what comes of that is followed by itself."""
        return any(
            rtype == NS
            and cut != zone
            and is_under(name, cut)
            and any(each.value is not None for each in track.periods)
            for (place, zone, cut, rtype), track in self._stage.timeline.rrsets.items()
            if (place, zone) == (asked.place, asked.zone)
        )

    def _dead_end(
        self, asked: _Asked, key: RRsetKey, rrset: RRset, begins: float, ends: float
    ) -> Iterator[Counterexample]:
        for address in map(address_text, rrset.rdatas):
            track = self._stage.timeline.services.get(address)
            for each in track.periods if track is not None else ():
                if each.value:
                    continue
                last = ends + self._stage.lasts(rrset.ttl)
                first = max(begins, each.begins)
                if first + _GRAIN < min(last, each.ends):
                    text = f"{name_text(key[0])} {type_text(key[1])}"
                    story = (
                        *self._how_held(asked.span, min(ends, first)),
                        f"{_moment(min(ends, first))} it asks {self._server(asked)} for {text}, and gets "
                        f"{address}, to keep for "
                        f"{rrset.ttl} s.",
                        f"At {instant_text(first)} it sends a visitor to {address}, which works no more: "
                        "visitors fail.",
                    )
                    yield self._example(story, _later(each.step, each.begins, last, address), first, each.step, last)

    def _how_held(self, span: CachedNsSet, at: float) -> list[str]:
        """The chain of copies that leads to holding ``span`` at a moment, each fetched as late as it can be."""
        fetched = min(span.fetched, at)
        names = ", ".join(map(name_text, span.names))
        moment = _moment(fetched)
        if span.through is None:
            zone = name_text(self._stage.premises.parent_zone)
            return [f"{moment} a cache asks a server of {zone} and gets the NS set {names}, to keep for {span.ttl} s."]
        asked = next(
            (
                name_text(host)
                for host in span.through.names
                for way in self._stage.ways_to(host)
                if way.place == span.given_by
            ),
            span.given_by,
        )
        again = ", each time anew," if span.renewed else ""
        if span.through.zone != span.zone:
            told = (
                f"{moment} it asks {asked} for a name in {name_text(span.zone)} and is handed on to {names}, "
                f"to keep for {span.ttl} s."
            )
        else:
            told = (
                f"{moment} it asks {asked}{again} and takes the zone's own NS set from the answer: {names}, "
                f"to keep for {span.ttl} s."
            )
        return [*self._how_held(span.through, min(fetched, span.through.ends)), told]


def needed(playback: Playback) -> set[RRsetKey]:
    """What is there before the runbook and after it, somewhere that is served: visitors come for it all the time."""
    before, after = set[RRsetKey](), set[RRsetKey]()
    for (place, zone, name, rtype), track in playback.timeline.rrsets.items():
        if place == PARENT or rtype == NS:
            continue
        content = playback.content(place, zone)
        if track.versions[0][0] is not None and original(content).value == Content.WHOLE:
            before.add((name, rtype))
        if track.value is not None and lasting(content).value == Content.WHOLE:
            after.add((name, rtype))
    return before & after


def _later(step: str, begins: float, until: float, names: str) -> str:
    if step == VANISHED:
        return f"begin {rough_text(until - begins)} earlier, or have the old side stay until {_end_text(until)}"
    if until == FOREVER:
        return f"the step '{step}' must not come before every server has stopped leading to {names}"
    return (
        f"let the step '{step}' begin {rough_text(until - begins)} later: nobody asks {names} any more from "
        f"{instant_text(until)} on"
    )


def _first_step(span: CachedNsSet) -> str:
    """The step by which caches come to hold this set."""
    first = span
    while first.through is not None and first.through.names == span.names:
        first = first.through
    return first.step


def _moment(instant: float) -> str:
    if instant in (FOREVER, -FOREVER):
        return "At any time"
    return f"Just before {instant_text(instant)}"


def _until_text(instant: float) -> str:
    return "now on" if instant == FOREVER else instant_text(instant)


def _end_text(instant: float) -> str:
    return "no time: they never stop" if instant == FOREVER else instant_text(instant)
