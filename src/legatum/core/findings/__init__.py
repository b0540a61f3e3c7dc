"""Findings: what a survey concludes. One family a file; a finding is a pure function from an observation to what it
saw. A family whose ``concerned`` says no has nothing to speak of in an observation, and is passed over.

``KINDS`` knows every finding by its slug; ``judge`` runs them over an observation, worst first, symptoms under their
causes.
"""

from itertools import chain

from legatum.core.findings.contents import soa, ttls, visitors
from legatum.core.findings.dnssec import denial, ds, signatures
from legatum.core.findings.finding import Finding, FindingKind, Severity, collect, judge_with
from legatum.core.findings.parent import delegation, former, glue, names, networks, registration
from legatum.core.findings.servers import answering, exposure, resolvers, transport
from legatum.core.observation.observation import Observation

FAMILIES = {
    "delegation": delegation,
    "networks": networks,
    "names": names,
    "glue": glue,
    "servers": answering,
    "transport": transport,
    "soa": soa,
    "ttls": ttls,
    "contents": visitors,
    "former": former,
    "ds": ds,
    "signatures": signatures,
    "denial": denial,
    "registration": registration,
    "exposure": exposure,
    "resolvers": resolvers,
}
_BY_FAMILY = [(getattr(family, "concerned", None), collect(vars(family))) for family in FAMILIES.values()]
KINDS: dict[str, FindingKind] = {kind.slug: kind for _, kinds in _BY_FAMILY for kind in kinds}


def judge(observation: Observation) -> tuple[Finding, ...]:
    """Every finding that the observation shows, worst first."""
    return judge_with(
        chain.from_iterable(kinds for concerned, kinds in _BY_FAMILY if concerned is None or concerned(observation)),
        observation,
    )


__all__ = ["FAMILIES", "KINDS", "Finding", "FindingKind", "Severity", "judge"]
