"""Where a move is before one of its steps: what was done of it, and what every place should say by that."""

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property

from legatum.core.moves.assembly import play
from legatum.core.moves.effects import Effect
from legatum.core.moves.outcome import Outcome
from legatum.core.moves.runbook import Runbook, Step, leads_elsewhere
from legatum.core.moves.timeline import Timeline, timeline_at_the_beginning
from legatum.core.records.name import Name
from legatum.core.records.rrset import RRset
from legatum.core.records.rrtype import NS


@dataclass(frozen=True)
class Refusal:
    """Why a gate does not hold, and what to do about it. ``undone``: steps that were done and, by what was seen, no
    longer are; ``mended``: the effects by which it would hold, where we can bring them about; ``unseen``: steps of
    which it could not be seen whether they still are; ``silent``: somebody did not answer, and nothing was seen to be
    otherwise."""

    reason: str
    remedy: str = ""
    undone: tuple[str, ...] = ()
    mended: tuple[Effect, ...] = ()
    unseen: tuple[str, ...] = ()
    silent: bool = False


@dataclass(frozen=True)
class Position:
    """``step``: the one that is next; ``outcomes``: step → how it ended, of those that are done."""

    runbook: Runbook
    step: Step
    outcomes: Mapping[str, Outcome]

    @property
    def domain(self) -> Name:
        return self.runbook.domain

    @property
    def done(self) -> list[Step]:
        """In the order of the plan."""
        return [step for step in self.runbook.steps if step.id in self.outcomes]

    @property
    def leading_begun(self) -> bool:
        """From then on both sides are in use."""
        return any(leads_elsewhere(step) for step in self.done)

    @cached_property
    def timeline(self) -> Timeline:
        """What every place should say now, by what was done."""
        timeline = timeline_at_the_beginning(self.runbook.premises)
        for past in self.runbook.past:
            play(timeline, past.effects, 0, past.label)
        for step in self.done:
            play(timeline, step.effects, 0, step.id)
        return timeline

    def ns_at(self, place: str, zone: Name) -> RRset | None:
        return self.timeline.rrset(place, zone, zone, NS)
