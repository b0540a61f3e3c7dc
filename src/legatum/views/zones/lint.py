"""What is wrong with a zone's contents."""

from collections.abc import Sequence

from legatum.core.records.name import name_text
from legatum.core.zones.pasted.reading import Pasted
from legatum.views.document import Document, Part
from legatum.views.findings import FindingPart, finding_part, show_findings
from legatum.views.screen import BAD, DOUBT, Screen
from legatum.work.zones.lint import Linted

_MOST_SHOWN = 40


class SlipPart(Part):
    """``line`` and ``column`` count from 1."""

    file: str
    line: int
    column: int
    what: str
    expected: str


class PastedRowPart(Part):
    """``text``: as pasted, ``record`` as understood, empty where it is left out; ``doubts``: what was taken as
    something that it does not plainly say; ``fault``: why nothing could be made of it."""

    line: int
    text: str
    record: str
    doubts: list[str]
    fault: str


class PastedPart(Part):
    """``layout``: how the rows were read."""

    layout: str
    rows: list[PastedRowPart]


class LintDocument(Document, tag="legatum.lint/1"):
    """``slips``: what could not be read in a master file; ``findings``: on what could be, worst first. ``good``:
    neither slip nor error; ``pasted``: where it is a table and no master file, each row as it was understood."""

    domain: str
    source: str
    good: bool
    records: int
    slips: list[SlipPart]
    findings: list[FindingPart]
    pasted: PastedPart | None = None


class LintListDocument(Document, tag="legatum.lint-list/1"):
    """Several zones, in the order asked for."""

    zones: list[LintDocument]


def lint_document(linted: Linted) -> LintDocument:
    findings = [finding_part(each, name_text(linted.domain)) for each in linted.findings]
    return LintDocument(
        domain=name_text(linted.domain),
        source=linted.source,
        good=not linted.slips and not any(each.severity == "error" for each in findings),
        records=linted.zone.record_count if linted.zone else 0,
        slips=[
            SlipPart(file=each.file, line=each.line, column=each.column, what=each.what, expected=each.expected)
            for each in linted.slips
        ],
        findings=findings,
        pasted=pasted_part(linted.pasted) if linted.pasted is not None else None,
    )


def pasted_part(pasted: Pasted) -> PastedPart:
    return PastedPart(
        layout=pasted.layout,
        rows=[
            PastedRowPart(
                line=each.row.line,
                text=each.row.text,
                record=each.text(pasted.domain),
                doubts=each.doubts,
                fault=each.fault,
            )
            for each in pasted.rows
        ],
    )


def show_pasted(part: PastedPart, screen: Screen) -> None:
    """What was pasted and what was understood side by side, and each doubt with its line."""
    screen.heading(f"As it was understood ({part.layout})")
    rows = [(each.line, each.text, each.record or "left out") for each in part.rows]
    screen.table(
        ("line", "pasted", "understood"),
        rows,
        [BAD if each.fault else DOUBT if each.doubts else "" for each in part.rows],
    )
    for each in part.rows:
        for text in each.doubts:
            screen.line(f"line {each.line}: {text}", DOUBT, indent=2)


def show_lint(document: LintDocument, screen: Screen) -> None:
    screen.verdict(document.good, *_verdict(document))
    for slip in document.slips[:_MOST_SHOWN]:
        screen.line(f"{slip.file}:{slip.line}:{slip.column}: {slip.what}", BAD, indent=4)
        if slip.expected:
            screen.line(f"    expected {slip.expected}", indent=4)
    if len(document.slips) > _MOST_SHOWN:
        screen.line(f"and {len(document.slips) - _MOST_SHOWN} more; --json lists all")
    if document.pasted is not None:
        show_pasted(document.pasted, screen)
    show_findings(document.findings, screen)


def _verdict(document: LintDocument) -> tuple[str, str]:
    what = f"{document.domain} ({document.source}, {document.records} records)"
    counts = {
        severity: sum(each.severity == severity for each in document.findings)
        for severity in ("error", "warning", "notice")
    }
    told = ", ".join(f"{count} {severity}{'s' if count > 1 else ''}" for severity, count in counts.items() if count)
    doubts = sum(len(each.doubts) for each in document.pasted.rows) if document.pasted is not None else 0
    told = ", ".join(
        filter(None, (told, f"{doubts} doubt{'s' if doubts > 1 else ''} about what was pasted" if doubts else ""))
    )
    if document.slips:
        remedy = (
            "mend these rows, or copy them anew"
            if document.pasted is not None
            else "mend them: no server would load this file"
        )
        return f"{what}: {_counted(document.slips, 'place')} cannot be read{'; else ' + told if told else ''}", remedy
    if counts["error"]:
        return f"{what}: {told}", "mend the errors before anybody serves this"
    following = "look at the warnings" if counts["warning"] else "look at each doubt" if doubts else ""
    return f"{what}: {told or 'nothing to say against it'}", following


def _counted(things: Sequence[object], noun: str) -> str:
    return f"{len(things)} {noun}{'' if len(things) == 1 else 's'}"
