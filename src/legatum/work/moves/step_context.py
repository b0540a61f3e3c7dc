"""One step of one move, and the world outside that it is carried out in."""

from dataclasses import dataclass, field
from pathlib import Path

from legatum.core.moves.drift.position import Position
from legatum.core.records.name import Name
from legatum.core.zones.zone import Zone
from legatum.services.provider import Provider
from legatum.services.registrar import Registrar
from legatum.work.movefile import zone_path
from legatum.work.moves.observation_cache import ObservationCache
from legatum.work.run_context import RunContext


@dataclass(frozen=True)
class StepContext(Position):
    """``path``: the move's file; artefacts are kept beside it. What was looked at is shared by everything that the step
    needs (:class:`ObservationCache`)."""

    context: RunContext
    path: Path
    cache: ObservationCache = field(init=False)

    def __post_init__(self) -> None:
        object.__setattr__(self, "cache", ObservationCache(self.context))

    def provider(self, place: str) -> Provider:
        return self.context.provider(place)

    def registrar(self, name: str) -> Registrar:
        return self.context.registrar(name)

    def file_of(self, zone: Name) -> Path:
        """Where a gathered zone is kept: the domain's own, or that of a part of it."""
        return zone_path(self.path, zone if zone != self.domain else None)

    def made_file(self, place: str, zone: Name) -> Path:
        """Where it is kept what a zone was when it was made at a place."""
        return zone_path(self.path, zone if zone != self.domain else None, place)

    def kept_file(self, place: str, zone: Name) -> Path | None:
        """What the place was when it was made, or gathered; None where that was not kept."""
        return next((file for file in (self.made_file(place, zone), self.file_of(zone)) if file.exists()), None)

    async def zone(self, place: str, zone: Name) -> Zone:
        """As the place has it; looked at once in a step."""
        return await self.cache.zone(place, zone)
