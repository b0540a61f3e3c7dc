"""A zone checked before anybody serves it: read from wherever it is, slips and findings."""

from dataclasses import dataclass
from pathlib import Path

from legatum.core.findings import Finding
from legatum.core.lint import ZoneContents, lint
from legatum.core.records.name import Name
from legatum.core.zones.masterfile import Slip
from legatum.core.zones.zone import Zone
from legatum.work.gathering.contents import read_slips


@dataclass(frozen=True)
class Linted:
    """``zone``: None where the file has no SOA, so that nothing more can be said. ``slips``: what could not be read."""

    domain: Name
    source: str
    zone: Zone | None
    slips: tuple[Slip, ...]
    findings: tuple[Finding, ...]


def lint_file(path: Path, origin: Name | None, home: tuple[str, ...], other: Zone | None = None) -> Linted:
    """Raises :class:`BadInput` where the file cannot be read at all."""
    domain, reading = read_slips(path, origin)
    if reading.zone is None:
        return Linted(domain, str(path), None, reading.slips, ())
    contents = ZoneContents(reading.zone, home, reading.uneven, reading.repeated, other)
    return Linted(domain, str(path), reading.zone, reading.slips, lint(contents))


def lint_zone(zone: Zone, source: str, home: tuple[str, ...], other: Zone | None = None) -> Linted:
    """A zone that was got from its servers: there are no slips in it."""
    return Linted(zone.origin, source, zone, (), lint(ZoneContents(zone, home, other=other)))
