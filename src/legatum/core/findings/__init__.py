"""Findings: what a survey concludes. One family a file; a finding is a pure function from a picture to what it saw.

``all_findings`` knows every finding by its slug; ``judge`` runs them over a picture, worst first.
"""

from legatum.core.findings import contents, delegation, hosts, servers, soa
from legatum.core.findings.finding import Finding, Kind, Severity, collect, judge_with
from legatum.core.picture import Picture

_FAMILIES = (delegation, hosts, servers, soa, contents)
KINDS: dict[str, Kind] = {kind.slug: kind for family in _FAMILIES for kind in collect(vars(family))}


def judge(picture: Picture) -> tuple[Finding, ...]:
    """Every finding that the picture shows, worst first."""
    return judge_with(KINDS.values(), picture)


__all__ = ["KINDS", "Finding", "Kind", "Severity", "judge"]
