"""Lint: what is wrong with a zone's contents before anybody serves them.

The kinds here look at every name. SOA values, TTLs and what stands at the apex and at www are judged by the same kinds
as a survey, over an observation of one server that serves the zone.
"""

from legatum.core.findings import KINDS as SURVEYED
from legatum.core.findings.finding import Finding, FindingKind, by_severity, collect, judge_with
from legatum.core.lint import aliases, cuts, mail, names, sets
from legatum.core.lint.contents import ZoneContents
from legatum.core.observation.observation import Observation, ServerView
from legatum.core.records.name import below, parent_of
from legatum.core.records.rrtype import AAAA, CNAME, MX, A
from legatum.core.running.collecting import no_collecting
from legatum.core.running.progress import tally

FAMILIES = {"zone names": names, "zone aliases": aliases, "sub-delegations": cuts, "zone mail": mail, "zone sets": sets}
KINDS: dict[str, FindingKind] = {kind.slug: kind for family in FAMILIES.values() for kind in collect(vars(family))}
_SHARED = [
    SURVEYED[slug]
    for slug in (
        "apex-without-address",
        "www-missing",
        "mail-missing",
        "expire-short",
        "retry-not-below-refresh",
        "refresh-out-of-range",
        "retry-out-of-range",
        "expire-not-above-refresh",
        "mailbox-malformed",
        "mailbox-with-at",
        "primary-malformed",
        "negative-ttl-long",
        "negative-ttl-short",
        "ns-ttl-short",
    )
]


def lint(contents: ZoneContents) -> tuple[Finding, ...]:
    """Every finding on the zone, worst first."""
    tally().begin("checking for each finding", len(KINDS) + len(_SHARED), "findings")
    with no_collecting():
        found = judge_with(KINDS.values(), contents) + judge_with(_SHARED, _picture(contents))
    return by_severity(found)


def _picture(contents: ZoneContents) -> Observation:
    zone, domain = contents.zone, contents.origin
    server = ServerView(
        zone.soa.primary, "", "answer", 0, True, zone.soa_rrset, zone.apex_ns, "not asked", None, 0.0, ()
    )
    wanted = [(domain, A), (domain, AAAA), (domain, MX), *((below("www", domain), rtype) for rtype in (A, AAAA, CNAME))]
    return Observation(
        domain, 0.0, parent_of(domain), (), (server,), {}, contents={key: zone.get(*key) for key in wanted}
    )


__all__ = ["FAMILIES", "KINDS", "ZoneContents", "lint"]
