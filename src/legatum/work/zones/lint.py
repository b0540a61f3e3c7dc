"""A zone checked before anybody serves it: read from wherever it is, slips and findings."""

from dataclasses import dataclass
from pathlib import Path

from legatum.core.findings import Finding
from legatum.core.lint import ZoneContents, lint
from legatum.core.records.name import Name
from legatum.core.records.rrtype import NS
from legatum.core.zones.contents import zone_of_pasted
from legatum.core.zones.masterfile import Slip
from legatum.core.zones.pasted.reading import Pasted
from legatum.core.zones.zone import Zone
from legatum.work.gathering.contents import is_master, read_slips, read_table, read_text

_OF_NS = ("apex-without-ns", "ns-leads-nowhere", "ns-leads-to-alias")


@dataclass(frozen=True)
class Linted:
    """``zone``: None where the file has no SOA, so that nothing more can be said. ``slips``: what could not be read."""

    domain: Name
    source: str
    zone: Zone | None
    slips: tuple[Slip, ...]
    findings: tuple[Finding, ...]
    pasted: Pasted | None = None


def lint_file(path: Path, origin: Name | None, home: tuple[str, ...], other: Zone | None = None) -> Linted:
    """A master file, or rows pasted from somewhere. Raises :class:`BadInput` where the file cannot be read at all."""
    text = read_text(path)
    if not is_master(text):
        return _lint_pasted(read_table(path, text, origin), path, home, other)
    domain, reading = read_slips(path, text, origin)
    if reading.zone is None:
        return Linted(domain, str(path), None, reading.slips, ())
    contents = ZoneContents(reading.zone, home, reading.uneven, reading.repeated, other)
    return Linted(domain, str(path), reading.zone, reading.slips, lint(contents))


def _lint_pasted(pasted: Pasted, path: Path, home: tuple[str, ...], other: Zone | None) -> Linted:
    """What forms do not show is not missing in what was copied from them."""
    slips = tuple(Slip(str(path), each.row.line, 1, each.fault) for each in pasted.faults)
    zone = zone_of_pasted(pasted)
    named = any(each.name == pasted.domain and each.rtype == NS for each in pasted.rrsets)
    found = lint(ZoneContents(zone, home, other=other))
    findings = tuple(each for each in found if named or each.kind.slug not in _OF_NS)
    return Linted(pasted.domain, str(path), zone, slips, findings, pasted)


def lint_zone(zone: Zone, source: str, home: tuple[str, ...], other: Zone | None = None) -> Linted:
    """A zone that was got from its servers: there are no slips in it."""
    return Linted(zone.origin, source, zone, (), lint(ZoneContents(zone, home, other=other)))
