"""Whether anybody would notice: a moment at which some cache may hold a set whose servers do not answer as they should."""

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, replace

from legatum.core.caches import CacheKind
from legatum.core.duration import rough_text
from legatum.core.instant import instant_text
from legatum.core.rehearsal.holding import Held, holdings
from legatum.core.rehearsal.stage import FOREVER, Content, Period, Stage, Which, build_stage
from legatum.core.runbook import Outcome, Runbook, Standing, forecast

_LONG = 2 * 86400
_GRAIN = 0.001  # sums of instants are exact to less than this
MODEL = (
    "Kinds of cache: parent-trusting (keeps the parent's NS set for its TTL), child-trusting (replaces it once by the zone's own), "
    "sticky (each answer that carries the NS set renews it). Any cache may ask at any moment and forget anything at any moment.",
    "A change reaches the servers of a group one after the other, between the first and the last instant given; in between either "
    "answer may be had. What was observed when drafting is taken to have been so for ever before.",
    "A copy may be used until its TTL, or the floor where that is longer, has passed since the last moment at which it was handed "
    "out, and one query time-out and a second more.",
    "Checked: nobody asks a server that does not serve the zone, gets “no such name” from a zone not filled yet, or keeps “no such "
    "name” for a new name server. Checked for steps that take no time, their estimated time, and two days each.",
    "Not in it: validating caches, as the domain is unsigned; caches that ask through other caches, but for the second above and the "
    "margin; edits that somebody makes on one side only; servers of one group that answer differently by place or by chance; lost packets.",
)


@dataclass(frozen=True, slots=True)
class Counterexample:
    """How somebody would notice: ``story``, dated, a sentence each; ``remedy``; the moment ``at`` which it goes wrong at the earliest.

    ``kinds``: the kinds of cache to which it can happen; ``schedule``: how long the steps take in it, in words.
    """

    kinds: tuple[CacheKind, ...]
    schedule: str
    story: tuple[str, ...]
    remedy: str
    at: float
    held: Held | None
    step: str


@dataclass(frozen=True, slots=True)
class Rehearsal:
    """``counterexamples``: one for each way in which it goes wrong, empty for a safe runbook. ``stages``: schedule → contents.

    ``uncovered``: what this domain has, or may have, that the model knows nothing of: then nothing is called safe.
    """

    runbook: Runbook
    counterexamples: tuple[Counterexample, ...]
    stages: Mapping[str, Stage]
    checked: int
    uncovered: tuple[str, ...] = ()

    @property
    def safe(self) -> bool:
        return not self.counterexamples and not self.uncovered


def schedules(runbook: Runbook, outcomes: Mapping[str, Outcome], now: float) -> Iterator[tuple[str, list[Standing]]]:
    """Ways in which the rest of the runbook may go: at once, as estimated, and each step in turn taking two days."""
    left = [step for step in runbook.steps if step.id not in outcomes]
    yield "as estimated", list(forecast(runbook, outcomes, now))
    yield "every step at once", list(forecast(runbook, outcomes, now, {step.id: 0 for step in left}))
    for step in left:
        yield f"{step.id} takes two days", list(forecast(runbook, outcomes, now, {step.id: _LONG}))


def rehearse(runbook: Runbook, outcomes: Mapping[str, Outcome], now: float, uncovered: Iterable[str] = ()) -> Rehearsal:
    """Follows every kind of cache through every schedule. Exact under :data:`MODEL`. ``uncovered``: what was seen since that the model
    knows nothing of."""
    found: dict[tuple[CacheKind, str], Counterexample] = {}
    stages: dict[str, Stage] = {}
    checked = 0
    for schedule, standings in schedules(runbook, outcomes, now):
        stage = stages[schedule] = build_stage(runbook, standings)
        for kind in CacheKind:
            spans = holdings(stage, kind)
            checked += len(spans)
            for example in _wrong(runbook, stage, kind, spans, schedule):
                found.setdefault((kind, example.step), example)
    examples = tuple(sorted(_told_once(found.values()), key=lambda each: each.at))
    missing = () if runbook.premises.get("unsigned") else ("it was not looked at whether the domain is signed, when this was drafted",)
    return Rehearsal(runbook, examples, stages, checked, (*missing, *uncovered))


def _told_once(examples: Iterable[Counterexample]) -> Iterator[Counterexample]:
    """One story for all kinds of cache to which the same happens."""
    same: dict[tuple[str, tuple[str, ...]], list[Counterexample]] = {}
    for each in examples:
        same.setdefault((each.schedule, each.story), []).append(each)
    for group in same.values():
        yield replace(group[0], kinds=tuple(kind for each in group for kind in each.kinds))


def _wrong(runbook: Runbook, stage: Stage, kind: CacheKind, spans: list[Held], schedule: str) -> Iterator[Counterexample]:
    for span in spans:
        for period in stage.content[span.which]:
            if period.value == Content.WHOLE:
                continue
            begins, ends = max(span.begins, period.begins), min(span.ends, period.ends)
            if begins + _GRAIN < ends and begins > -FOREVER:
                yield _badly_served(runbook, stage, kind, span, period, begins, schedule)
        negative_until = stage.hosts_known + stage.lasts(stage.host_negative_ttl)
        if span.which == Which.NEW and -FOREVER < span.begins < negative_until and stage.host_negative_ttl:
            yield _host_unknown(runbook, kind, span, negative_until, schedule)


def _badly_served(
    runbook: Runbook, stage: Stage, kind: CacheKind, span: Held, period: Period[Content], at: float, schedule: str
) -> Counterexample:
    servers = ", ".join(map(str, runbook.premises[f"{span.which}_ns"]))
    problem = "which does not serve the zone" if period.value == Content.NOTHING else "which has only an empty zone: “no such name”"
    moment = at if at > period.begins or span.begins >= period.begins else period.begins
    story = (*_how_held(runbook, span, moment), f"At {instant_text(moment)} it asks {servers.split(', ')[0]}, {problem}: visitors fail.")
    if any(each.value == Content.WHOLE and each.begins < period.begins for each in stage.content[span.which]):
        return Counterexample((kind,), schedule, story, _later(span, period, servers), moment, span, period.step)
    into = _step_into(stage, span)
    remedy = f"publish the whole zone on {servers} before the step '{into}'"
    return Counterexample((kind,), schedule, story, remedy, moment, span, into)


def _later(span: Held, period: Period[Content], servers: str) -> str:
    if span.ends == FOREVER:
        return f"the step '{period.step}' must not come before every server has stopped handing out the NS set {servers}"
    late = rough_text(span.ends - period.begins)
    return f"let the step '{period.step}' begin {late} later: nobody asks {servers} any more from {instant_text(span.ends)} on"


def _host_unknown(runbook: Runbook, kind: CacheKind, span: Held, until: float, schedule: str) -> Counterexample:
    host = str(runbook.premises["new_ns"][0])
    story = (
        f"A cache was asked for {host} before its address was there, and keeps “no such name” until {instant_text(until)}.",
        f"At {instant_text(span.begins)} it gets the new NS set and finds no address for {host}: visitors fail.",
    )
    remedy = f"let the new NS set be seen by nobody before {instant_text(until)}"
    return Counterexample((kind,), schedule, story, remedy, span.begins, span, "hosts")


def _step_into(stage: Stage, span: Held) -> str:
    """The step by which caches come to hold this set."""
    first = span
    while first.through is not None and first.through.which == span.which:
        first = first.through
    periods = stage.delegation if first.through is None else stage.apex[first.through.which]
    return next((each.step for each in periods if each.value.which == span.which and each.begins <= first.begins < each.ends), "")


def _how_held(runbook: Runbook, span: Held, at: float) -> list[str]:
    """The chain of copies that leads to holding ``span`` at a moment, each fetched as late as it can be."""
    fetched = min(span.fetched, at)
    names = ", ".join(map(str, runbook.premises[f"{span.which}_ns"]))
    moment = _just_before(fetched)
    if span.through is None:
        zone = str(runbook.premises["parent_zone"])
        return [f"{moment} a cache asks a server of {zone} and gets the NS set {names}, to keep for {span.ttl} s."]
    asked = str(runbook.premises[f"{span.through.which}_ns"][0])
    again = ", each time anew," if span.renewed else ""
    told = f"{moment} it asks {asked}{again} and takes the zone's own NS set from the answer: {names}, to keep for {span.ttl} s."
    return [*_how_held(runbook, span.through, min(fetched, span.through.ends)), told]


def _just_before(instant: float) -> str:
    if instant in (FOREVER, -FOREVER):
        return "At any time"
    return f"Just before {instant_text(instant)}"
