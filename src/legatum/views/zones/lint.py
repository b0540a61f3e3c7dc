"""What is wrong with a zone's contents."""

from collections.abc import Sequence

from legatum.core.records.name import name_text
from legatum.views.document import Document, Part
from legatum.views.findings import FindingPart, finding_part, show_findings
from legatum.views.screen import BAD, Screen
from legatum.work.zones.lint import Linted

_MOST_SHOWN = 40


class SlipPart(Part):
    """``line`` and ``column`` count from 1."""

    file: str
    line: int
    column: int
    what: str
    expected: str


class LintDocument(Document, tag="legatum.lint/1"):
    """``slips``: what could not be read in a master file; ``findings``: on what could be, worst first. ``good``: neither slip nor error."""

    domain: str
    source: str
    good: bool
    records: int
    slips: list[SlipPart]
    findings: list[FindingPart]


class LintListDocument(Document, tag="legatum.lint-list/1"):
    """Several zones, in the order asked for."""

    zones: list[LintDocument]


def lint_document(linted: Linted) -> LintDocument:
    findings = [finding_part(each) for each in linted.findings]
    return LintDocument(
        domain=name_text(linted.domain),
        source=linted.source,
        good=not linted.slips and not any(each.severity == "error" for each in findings),
        records=linted.zone.record_count if linted.zone else 0,
        slips=[
            SlipPart(file=each.file, line=each.line, column=each.column, what=each.what, expected=each.expected) for each in linted.slips
        ],
        findings=findings,
    )


def show_lint(document: LintDocument, screen: Screen) -> None:
    screen.verdict(document.good, *_verdict(document))
    for slip in document.slips[:_MOST_SHOWN]:
        screen.line(f"{slip.file}:{slip.line}:{slip.column}: {slip.what}", BAD, indent=4)
        if slip.expected:
            screen.line(f"    expected {slip.expected}", indent=4)
    if len(document.slips) > _MOST_SHOWN:
        screen.line(f"and {len(document.slips) - _MOST_SHOWN} more; --json lists all")
    show_findings(document.findings, screen)


def _verdict(document: LintDocument) -> tuple[str, str]:
    what = f"{document.domain} ({document.source}, {document.records} records)"
    counts = {severity: sum(each.severity == severity for each in document.findings) for severity in ("error", "warning", "notice")}
    told = ", ".join(f"{count} {severity}{'s' if count > 1 else ''}" for severity, count in counts.items() if count)
    if document.slips:
        slips = _counted(document.slips, "place")
        return f"{what}: {slips} cannot be read{'; else ' + told if told else ''}", "mend them: no server would load this file"
    if counts["error"]:
        return f"{what}: {told}", "mend the errors before anybody serves this"
    return f"{what}: {told or 'nothing to say against it'}", "look at the warnings" if counts["warning"] else ""


def _counted(things: Sequence[object], noun: str) -> str:
    return f"{len(things)} {noun}{'' if len(things) == 1 else 's'}"
