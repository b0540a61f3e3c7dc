"""One step of one move, with what was done before it, and why a gate of it may not hold."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property
from pathlib import Path

from legatum.core.moves.assembly import play
from legatum.core.moves.effects import Effect
from legatum.core.moves.runbook import Outcome, Runbook, Step
from legatum.core.moves.scene import Scene, scene_at_the_beginning
from legatum.core.records.name import Name
from legatum.core.records.rrset import RRset
from legatum.core.records.rrtype import NS
from legatum.core.zones.zone import Zone
from legatum.services.provider import Provider
from legatum.services.registrar import Registrar
from legatum.work.movefile import zone_path
from legatum.work.moves.glance import Glance
from legatum.work.outside import Outside


@dataclass(frozen=True)
class Refusal:
    """Why a gate does not hold, and what to do about it. ``undone``: steps that were done and, by what was seen, no longer are; ``mended``:
    the effects by which it would hold, where we can bring them about; ``unseen``: steps of which it could not be seen whether they still
    are."""

    reason: str
    remedy: str = ""
    undone: tuple[str, ...] = ()
    mended: tuple[Effect, ...] = ()
    unseen: tuple[str, ...] = ()


@dataclass(frozen=True)
class Job:
    """One step of one move, with the outcomes of the steps before it. ``path``: the move's file; artefacts are kept beside it. What was
    looked at is shared by everything that the step needs (:class:`Glance`)."""

    outside: Outside
    runbook: Runbook
    step: Step
    outcomes: Mapping[str, Outcome]
    path: Path
    glance: Glance = field(init=False)

    def __post_init__(self) -> None:
        object.__setattr__(self, "glance", Glance(self.outside))

    @property
    def domain(self) -> Name:
        return self.runbook.domain

    def provider(self, place: str) -> Provider:
        return self.outside.provider(place)

    def registrar(self, name: str) -> Registrar:
        return self.outside.registrar(name)

    @cached_property
    def scene(self) -> Scene:
        """What every place should say now, by what was done."""
        scene = scene_at_the_beginning(self.runbook.premises)
        for past in self.runbook.past:
            play(scene, past.effects, 0, past.label)
        for step in self.runbook.steps:
            if step.id in self.outcomes:
                play(scene, step.effects, 0, step.id)
        return scene

    @property
    def zone_file(self) -> Path:
        return zone_path(self.path)

    def file_of(self, zone: Name) -> Path:
        """Where a gathered zone is kept: the domain's own, or that of a part of it."""
        return zone_path(self.path, zone if zone != self.domain else None)

    def made_file(self, place: str, zone: Name) -> Path:
        """Where it is kept what a zone was when it was made at a place."""
        return zone_path(self.path, zone if zone != self.domain else None, place)

    async def zone(self, place: str, zone: Name) -> Zone:
        """As the place has it; looked at once in a step."""
        return await self.glance.zone(place, zone)

    def ns_at(self, place: str, zone: Name) -> RRset | None:
        return self.scene.says(place, zone, zone, NS)
