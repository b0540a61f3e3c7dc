"""Findings: what a survey concludes. One family a file; a finding is a pure function from a picture to what it saw.

``KINDS`` knows every finding by its slug; ``judge`` runs them over a picture, worst first, symptoms under their causes.
"""

from legatum.core.findings import (
    contents,
    delegation,
    denial,
    ds,
    exposure,
    former,
    glue,
    names,
    networks,
    registration,
    resolvers,
    servers,
    signatures,
    soa,
    transport,
    ttls,
)
from legatum.core.findings.finding import Finding, Kind, Severity, collect, judge_with
from legatum.core.picture import Picture

FAMILIES = {
    "delegation": delegation, "networks": networks, "names": names, "glue": glue, "servers": servers, "transport": transport, "soa": soa,
    "ttls": ttls, "contents": contents, "former": former, "ds": ds, "signatures": signatures, "denial": denial,
    "registration": registration, "exposure": exposure, "resolvers": resolvers,
}  # fmt: skip
KINDS: dict[str, Kind] = {kind.slug: kind for family in FAMILIES.values() for kind in collect(vars(family))}


def judge(picture: Picture) -> tuple[Finding, ...]:
    """Every finding that the picture shows, worst first."""
    return judge_with(KINDS.values(), picture)


__all__ = ["FAMILIES", "KINDS", "Finding", "Kind", "Severity", "judge"]
