"""Findings: what a survey concludes. One family a file; a finding is a pure function from a picture to what it saw.

``KINDS`` knows every finding by its slug; ``judge`` runs them over a picture, worst first, symptoms under their causes.
"""

from legatum.core.findings.contents import soa, ttls, visitors
from legatum.core.findings.dnssec import denial, ds, signatures
from legatum.core.findings.finding import Finding, Kind, Severity, collect, judge_with
from legatum.core.findings.parent import delegation, former, glue, names, networks, registration
from legatum.core.findings.servers import answering, exposure, resolvers, transport
from legatum.core.observation.picture import Picture

FAMILIES = {
    "delegation": delegation, "networks": networks, "names": names, "glue": glue, "servers": answering, "transport": transport, "soa": soa,
    "ttls": ttls, "contents": visitors, "former": former, "ds": ds, "signatures": signatures, "denial": denial,
    "registration": registration, "exposure": exposure, "resolvers": resolvers,
}  # fmt: skip
KINDS: dict[str, Kind] = {kind.slug: kind for family in FAMILIES.values() for kind in collect(vars(family))}


def judge(picture: Picture) -> tuple[Finding, ...]:
    """Every finding that the picture shows, worst first."""
    return judge_with(KINDS.values(), picture)


__all__ = ["FAMILIES", "KINDS", "Finding", "Kind", "Severity", "judge"]
