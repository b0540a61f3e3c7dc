"""Runbooks: the ordered steps of a move, and what follows from how far it has come.

A runbook is data. It says what is to be done in which order, what must hold before each step (its *gates*, checked by the
step's action), how long to hold before it (its *waits*), what must be seen after (its *proof*), and the way back. Nothing here
does anything; :mod:`legatum.work.advance` does.
"""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any

from legatum.core.name import Name
from legatum.core.timing import Bound, Wait, not_before

PROVIDER, RETREAT, TRANSFER, TRANSFER_RETREAT = "provider", "retreat", "transfer", "transfer-retreat"
"""Kinds of runbook: a move between providers, one between registrars, and the way back of each."""


@dataclass(frozen=True, slots=True)
class Step:
    """``action`` names what carries it out; ``details`` are its parameters. ``changes``: whether anything outside is changed.

    ``estimate``: seconds from its beginning until every server concerned shows it, for forecasts.
    """

    id: str
    title: str
    action: str
    gates: tuple[str, ...]
    proof: str
    way_back: str
    waits: tuple[Wait, ...] = ()
    changes: bool = False
    estimate: int = 1
    details: Mapping[str, Any] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Runbook:
    """One move. ``premises``: what was observed when it was drafted and what it rests on. ``margin`` in seconds."""

    id: str
    kind: str
    domain: Name
    drafted: float
    margin: int
    premises: Mapping[str, Any]
    steps: tuple[Step, ...]

    @property
    def retreating(self) -> bool:
        """It takes back what another runbook did."""
        return self.kind in (RETREAT, TRANSFER_RETREAT)

    @property
    def changes_answers(self) -> bool:
        """What caches hold changes with it, so that it can be rehearsed."""
        return self.kind in (PROVIDER, RETREAT)

    def step(self, ident: str) -> Step:
        return next(step for step in self.steps if step.id == ident)


@dataclass(frozen=True, slots=True)
class Outcome:
    """What is known of a step that was carried out: from when on the first and from when on all servers showed it."""

    step: str
    first: float
    all: float
    summary: str
    facts: Mapping[str, Any] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Standing:
    """One step as it stands: done at ``expected``, or expected to begin then and not before ``bound``; seen everywhere at ``ends``."""

    step: Step
    outcome: Outcome | None
    bound: Bound | None
    expected: float
    ends: float

    @property
    def first(self) -> float:
        """From when on the first server may show the step's effect."""
        return self.outcome.first if self.outcome else self.expected


def next_step(runbook: Runbook, outcomes: Mapping[str, Outcome]) -> Step | None:
    """The first step without an outcome; None when the move is complete."""
    return next((step for step in runbook.steps if step.id not in outcomes), None)


def hold_of(runbook: Runbook, step: Step, outcomes: Mapping[str, Outcome], now: float) -> Bound | None:
    """What the step must wait for, by what has been measured. All steps that its waits name must be done."""
    happened = {ident: outcome.all for ident, outcome in outcomes.items()}
    return not_before(step.waits, happened, now, runbook.margin)


def forecast(
    runbook: Runbook, outcomes: Mapping[str, Outcome], now: float, durations: Mapping[str, float] | None = None
) -> Iterator[Standing]:
    """Every step in order: what was measured, then what is expected when nothing is left waiting.

    ``durations``: step → seconds until every server shows it, instead of the steps' own estimates.
    """
    happened: dict[str, float] = {}
    clock = now
    for step in runbook.steps:
        outcome = outcomes.get(step.id)
        bound = not_before(step.waits, happened, now, runbook.margin)
        if outcome is not None:
            happened[step.id] = outcome.all
            yield Standing(step, outcome, bound, outcome.all, outcome.all)
            clock = max(clock, outcome.all)
            continue
        clock = max(clock, bound.instant if bound else clock)
        begins = clock
        clock += step.estimate if durations is None else durations.get(step.id, step.estimate)
        happened[step.id] = clock
        yield Standing(step, None, bound, begins, clock)
