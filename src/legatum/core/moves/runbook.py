"""Runbooks: the ordered steps of a move, and what follows from how far it has come.

A runbook is data. It says what is to be done in which order - each step's *effects* -, what must hold before it (its
*gates*, which the effects check), how long to hold before it (its *waits*), what must be seen after (its *proof*), and
the way back. Nothing here does anything; :mod:`legatum.work.moves.advance` does. No kind of move has a name here: they
differ in their effects alone.
"""

import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from legatum.core.calendar.timing import Bound, Wait, not_before
from legatum.core.dnssec.trust import is_known
from legatum.core.moves.effects import Delegated, DsChanged, Effect, Records, Signed
from legatum.core.moves.needs import Need
from legatum.core.moves.outcome import Outcome
from legatum.core.moves.place import Premises
from legatum.core.records.name import Name
from legatum.core.records.rrset import targets
from legatum.core.records.rrtype import NS

_ROUND = re.compile(r"-given-up-(\d+)$")


@dataclass(frozen=True, slots=True)
class Step:
    """``needs``: what must be true of caches before it, which ``waits`` came to. ``estimate``: seconds from its
    beginning until every server concerned shows it, for forecasts. ``gates``, ``proof``, ``way_back``: in words, for
    people."""

    id: str
    title: str
    effects: tuple[Effect, ...]
    gates: tuple[str, ...]
    proof: str
    way_back: str
    needs: tuple[Need, ...] = ()
    waits: tuple[Wait, ...] = ()
    estimate: int = 1

    @property
    def changes(self) -> bool:
        """Whether anything outside is changed."""
        return any(effect.changes for effect in self.effects)

    @property
    def felt(self) -> bool:
        """Whether visitors may get something else by it."""
        return any(effect.felt for effect in self.effects)

    @property
    def takes_away(self) -> bool:
        """Whether somebody might still use what goes."""
        return any(effect.takes_away for effect in self.effects)


@dataclass(frozen=True, slots=True)
class Past:
    """What was done, or seen, before the runbook, and still counts for caches. ``everywhere``: None where it is not
    known to have come to its end. ``label``: by which waits name it."""

    label: str
    effects: tuple[Effect, ...]
    first: float
    everywhere: float | None


@dataclass(frozen=True, slots=True)
class Runbook:
    """One move. ``wish``: what shall be different, in words; ``premises``: what was observed and it rests on; ``past``:
    what happened before and caches may remember; ``back_of``: the move that this one takes back, empty for others.
    ``margin`` in seconds."""

    id: str
    wish: str
    domain: Name
    drafted: float
    margin: int
    premises: Premises
    steps: tuple[Step, ...]
    past: tuple[Past, ...] = ()
    back_of: str = ""

    @property
    def retreating(self) -> bool:
        """It takes back what another runbook did."""
        return bool(self.back_of)

    @property
    def changes_answers(self) -> bool:
        """What caches hold changes with it, so that it can be rehearsed."""
        return any(not effect.of_registration for step in self.steps for effect in step.effects)

    @property
    def of_keys(self) -> bool:
        """Who signs, or the DS set, changes with it."""
        return any(isinstance(effect, DsChanged | Signed) for step in self.steps for effect in step.effects)

    @property
    def known_keys(self) -> frozenset[str]:
        """Those that it calls by their tags; any other one was made since, or is taken into use again."""
        found = {label for each in self.premises.anchors.values() for label in each.labels}
        keys = {(each.place, each.zone): each.keys for each in self.premises.served}
        for effect in (effect for past in self.past for effect in past.effects):
            if isinstance(effect, DsChanged):
                found |= effect.before.labels | effect.after.labels
            elif isinstance(effect, Signed):
                keys |= dict.fromkeys(((place, effect.zone) for place in (effect.place, *effect.follows)), effect.after)
        found |= {label for each in keys.values() if each is not None for role in each.roles for label in role}
        for effect in (effect for step in self.steps for effect in step.effects):
            if isinstance(effect, DsChanged):
                found |= effect.before.labels | effect.after.labels
            elif isinstance(effect, Signed):
                sides = (effect.before, effect.after)
                found |= {label for each in sides if each is not None for role in each.roles for label in role}
        return frozenset(filter(is_known, found))

    @property
    def disconnects(self) -> bool:
        """The DS is taken away, and nobody led anywhere: it helps whatever keys and signatures the servers have."""
        sets = [effect for step in self.steps for effect in step.effects if isinstance(effect, DsChanged)]
        return bool(sets) and not any(each.after for each in sets) and not any(map(leads_elsewhere, self.steps))

    @property
    def minds_cds(self) -> bool:
        """A registry that acts on CDS records would be at odds with it: for a key that is there it asks as the plan
        does."""
        return self.premises.reads_cds and (self.disconnects or any(map(leads_elsewhere, self.steps)))

    @property
    def rounds(self) -> int:
        """How often its way back was begun and given up."""
        return len({found[1] for step in self.steps if (found := _ROUND.search(step.id))})

    def step(self, ident: str) -> Step:
        return next(step for step in self.steps if step.id == ident)


@dataclass(frozen=True, slots=True)
class Slot:
    """One step in time: done at ``expected``, or expected to begin then and not before ``bound``; seen everywhere at
    ``ends``. ``before``: when the step before it was."""

    step: Step
    outcome: Outcome | None
    bound: Bound | None
    expected: float
    ends: float
    before: float = 0.0

    @property
    def holds(self) -> bool:
        """There is something left to wait for when the step before it is done."""
        return self.bound is not None and self.bound.instant > self.before

    @property
    def first(self) -> float:
        """From when on the first server may show the step's effect."""
        return self.outcome.first if self.outcome else self.expected


def next_step(runbook: Runbook, outcomes: Mapping[str, Outcome]) -> Step | None:
    """The first step without an outcome; None when the move is complete."""
    return next((step for step in runbook.steps if step.id not in outcomes), None)


def happened_before(runbook: Runbook) -> dict[str, float]:
    """Label → when it was true of all servers, of what the runbook has not done itself."""
    return {past.label: past.everywhere for past in runbook.past if past.everywhere is not None}


def hold_of(
    runbook: Runbook, step: Step, outcomes: Mapping[str, Outcome], now: float, any_time: bool = False
) -> Bound | None:
    """What the step must wait for, by what has been measured. All steps that its waits name must be done. ``any_time``:
    no window of the house counts."""
    happened = happened_before(runbook) | {ident: outcome.all for ident, outcome in outcomes.items()}
    bound = not_before(step.waits, happened, now, runbook.margin)
    return bound if any_time else _in_window(runbook, step, bound, now)


def _in_window(runbook: Runbook, step: Step, bound: Bound | None, now: float) -> Bound | None:
    """What visitors can feel is done when the house does such things; a way back, and what helps a domain that is
    bogus, at any time."""
    times = runbook.premises.times
    if not times or not step.felt or runbook.retreating or runbook.disconnects:
        return bound
    earliest = max(now, bound.instant) if bound is not None else now
    found = times.next(earliest)
    if found is None or found[0] <= earliest:
        return bound
    begins, text = found
    reason = (
        f"what visitors can feel is done {text if text.startswith('outside') else f'in the window {text}'} "
        f"({times.zone.key})"
    )
    before = f"; before that: {bound.reason}" if bound is not None and bound.instant > now else ""
    parts = bound.parts if bound is not None else ()
    return Bound(begins, reason + before, 0, ((begins, reason), *parts))


def forecast(
    runbook: Runbook, outcomes: Mapping[str, Outcome], now: float, durations: Mapping[str, float] | None = None
) -> Iterator[Slot]:
    """Every step in order: what was measured, then what is expected when nothing is left waiting.

    ``durations``: step → seconds until every server shows it, instead of the steps' own estimates.
    """
    happened = happened_before(runbook)
    clock, before = now, 0.0
    for step in runbook.steps:
        outcome = outcomes.get(step.id)
        bound = not_before(step.waits, happened, now, runbook.margin)
        if outcome is None:
            bound = _in_window(runbook, step, bound, clock)
        if outcome is not None:
            happened[step.id] = outcome.all
            yield Slot(step, outcome, bound, outcome.all, outcome.all, before)
            before = outcome.all
            clock = max(clock, outcome.all)
            continue
        clock = max(clock, bound.instant if bound else clock)
        begins = clock
        clock += step.estimate if durations is None else durations.get(step.id, step.estimate)
        happened[step.id] = clock
        yield Slot(step, None, bound, begins, clock, before)
        before = clock


def shown_by(runbook: Runbook, step: Step, effect: Effect) -> Step | None:
    """The later step that looks until what this effect changed is seen everywhere; None where the step itself does."""
    after = runbook.steps[runbook.steps.index(step) + 1 :]
    return next((each for each in after for look in each.effects if look.concerns(effect)), None)


def leads_elsewhere(step: Step) -> bool:
    """Whether visitors are sent to other servers by this step."""
    for effect in step.effects:
        if isinstance(effect, Delegated):
            return True
        if isinstance(effect, Records) and any(
            each.key[1] == NS and targets(each.before) != targets(each.after) for each in effect.changed
        ):
            return True
    return False
