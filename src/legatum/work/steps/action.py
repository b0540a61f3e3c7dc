"""What every action has in common, and what it works with."""

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path

from legatum.core.fault import BadInput
from legatum.core.name import Name, parse_domain
from legatum.core.rehearsal.stage import Which
from legatum.core.runbook import Outcome, Runbook, Step
from legatum.core.timing import Bound
from legatum.services.provider import Provider
from legatum.services.registrar import Registrar
from legatum.work.movefile import zone_path
from legatum.work.outside import Outside


@dataclass(frozen=True)
class Refusal:
    """Why a gate does not hold, and what to do about it. ``undone``: steps that were done and, by what was seen, no longer are."""

    reason: str
    remedy: str = ""
    undone: tuple[str, ...] = ()


@dataclass(frozen=True)
class Job:
    """One step of one move, with the outcomes of the steps before it. ``path``: the move's file; artefacts are kept beside it."""

    outside: Outside
    runbook: Runbook
    step: Step
    outcomes: Mapping[str, Outcome]
    path: Path

    @property
    def domain(self) -> Name:
        return self.runbook.domain

    @property
    def old(self) -> Provider:
        return self.outside.provider(self._premise("from"))

    @property
    def new(self) -> Provider:
        return self.outside.provider(self._premise("to"))

    @property
    def registrar(self) -> Registrar:
        return self.outside.registrar(self._premise("registrar"))

    @property
    def losing(self) -> Registrar:
        """In a transfer between registrars."""
        return self.outside.registrar(self._premise("from"))

    @property
    def gaining(self) -> Registrar:
        return self.outside.registrar(self._premise("to"))

    @property
    def old_ns(self) -> tuple[Name, ...]:
        return self._names("old_ns")

    @property
    def new_ns(self) -> tuple[Name, ...]:
        return self._names("new_ns")

    def provider(self, which: Which) -> Provider:
        return self.old if which == Which.OLD else self.new

    def ns_set(self, which: Which) -> tuple[Name, ...]:
        return self.old_ns if which == Which.OLD else self.new_ns

    @property
    def target(self) -> Which:
        """The NS set that this step is to bring about: the new one, or the old one on the way back."""
        return Which(self.step.details.get("ns", Which.NEW))

    @property
    def target_ns(self) -> tuple[Name, ...]:
        return self.ns_set(self.target)

    @property
    def zone_file(self) -> Path:
        return zone_path(self.path)

    def _premise(self, key: str) -> str:
        try:
            return str(self.runbook.premises[key])
        except KeyError:
            raise BadInput(f"{self.path}: the premises lack '{key}'", "draft the move again") from None

    def _names(self, key: str) -> tuple[Name, ...]:
        try:
            return tuple(sorted(parse_domain(str(text)) for text in self.runbook.premises[key]))
        except (KeyError, TypeError):
            raise BadInput(f"{self.path}: the premises lack '{key}'", "draft the move again") from None


class Action:
    """Override what applies. ``seen`` looks whether the effect is there already, so that nothing is done twice."""

    shows = True
    """Whether looking can show that it has been done."""

    def __init__(self, job: Job) -> None:
        self.job = job

    async def gate(self) -> list[Refusal]:
        """What must hold and does not; empty when the step may go ahead."""
        return []

    async def preview(self) -> list[str]:
        """Old → new, a line each, for a step that changes something."""
        return []

    async def seen(self) -> Outcome | None:
        """The outcome, where looking shows that the effect is there already."""
        return None

    async def awaited(self) -> Bound | None:
        """Until when somebody else may have to act first, and why; None when it is our turn."""
        return None

    async def perform(self) -> Outcome:
        """Does it and proves it. Raises :class:`OutsideFault`."""
        raise AssertionError(f"{type(self).__name__} does nothing")

    def outcome(self, first: float, everywhere: float, summary: str, **facts: object) -> Outcome:
        return Outcome(self.job.step.id, first, everywhere, summary, facts)

    def now(self) -> float:
        return self.job.outside.clock.now()
