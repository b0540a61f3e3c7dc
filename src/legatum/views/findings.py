"""Findings in documents and for people."""

import re
from collections.abc import Iterable

from legatum.core.findings.finding import Finding
from legatum.views.document import Part
from legatum.views.screen import BAD, DOUBT, Screen


class FindingPart(Part):
    slug: str
    severity: str
    title: str
    seen: list[str]
    why: str
    remedy: str
    standard: str
    replies: list[int]
    explains: dict[str, int]


def finding_part(found: Finding, domain: str) -> FindingPart:
    kind = found.kind
    return FindingPart(
        slug=kind.slug,
        severity=str(kind.severity),
        title=kind.title,
        seen=[each.seen for each in found.sightings],
        why=kind.why,
        remedy=advice(found, domain),
        standard=kind.standard,
        replies=sorted({number for each in found.sightings for number in each.replies}),
        explains=dict(found.explains),
    )


def advice(found: Finding, domain: str) -> str:
    """What to do, with the domain's name in the commands."""
    return re.sub(r"`[^`]+`", lambda command: re.sub(r"\bDOMAIN\b", domain, command[0]), found.kind.remedy)


def show_findings(findings: Iterable[FindingPart], screen: Screen) -> None:
    for each in findings:
        screen.line()
        screen.line(
            f"{each.severity}: {each.title}  [{each.slug}]", {"error": BAD, "warning": DOUBT}.get(each.severity, "")
        )
        for seen in each.seen[:6]:
            screen.line(f"  seen: {seen}", indent=8)
        if len(each.seen) > 6:
            screen.line(f"  and {len(each.seen) - 6} more")
        if each.explains:
            screen.line(
                f"  explains: {', '.join(f'{slug} ({count})' for slug, count in each.explains.items())}", indent=12
            )
        screen.line(f"  do:   {each.remedy}", indent=8)
