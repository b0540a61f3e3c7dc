"""What stands behind the names: web pages, mail, certificates, as they were seen at an address, and what visitors would
suffer."""

from collections.abc import Iterable
from dataclasses import replace

from legatum.core.agreement.verdict import Check
from legatum.core.findings.finding import Finding, FindingKind, Occurrence, Severity, collect, judge_with
from legatum.core.records.name import name_text
from legatum.core.service.kinds import certificates, change, mail, readiness, senders, web
from legatum.core.service.seen import Visit

FAMILIES = {
    "web": web,
    "certificates": certificates,
    "readiness": readiness,
    "mail servers": mail,
    "senders": senders,
    "new address": change,
}
KINDS: dict[str, FindingKind] = {kind.slug: kind for family in FAMILIES.values() for kind in collect(vars(family))}


def judge_visit(visit: Visit) -> tuple[Finding, ...]:
    """Every finding on the services, worst first."""
    return judge_with(KINDS.values(), visit)


def worse(visit: Visit) -> list[str]:
    """What visitors would suffer at the new addresses and do not suffer now, in words: errors that no present address
    has."""
    present = replace(visit, seen=tuple(each for each in visit.seen if not each.new))
    had = {(slug, _spot(sighting)) for slug, sighting in _errors(judge_visit(present))}
    new = {each.where for each in visit.seen if each.new}
    return [
        f"{sighting.seen} [{slug}]"
        for slug, sighting in _errors(judge_visit(visit))
        if sighting.about in new and (slug, _spot(sighting)) not in had
    ]


def _errors(findings: Iterable[Finding]) -> list[tuple[str, Occurrence]]:
    return [
        (each.kind.slug, sighting)
        for each in findings
        if each.kind.severity == Severity.ERROR
        for sighting in each.sightings
    ]


def _spot(sighting: Occurrence) -> str:
    """The service and its name, of the place that a sighting is about."""
    return sighting.about.rpartition(" at ")[0]


def service_checks(visit: Visit) -> tuple[Check, ...]:
    """For a verdict: every error is somebody who does not agree; where there is none, all services do."""
    wrong = [
        Check("service", sighting.about or name_text(visit.domain), False, sighting.seen, about=slug)
        for slug, sighting in _errors(judge_visit(visit))
    ]
    if wrong or not visit.seen:
        return tuple(wrong)
    return (
        Check("service", name_text(visit.domain), True, f"{len(visit.seen)} looked at: no error", about="services"),
    )
