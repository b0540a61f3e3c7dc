"""A kind of finding, explained; of every kind that there is: of surveys, of contents, and of the services behind the
names."""

from legatum.core import findings, lint, service
from legatum.core.findings import FindingKind
from legatum.views.document import Document
from legatum.views.screen import BAD, DOUBT, STRONG, Screen

FAMILIES = findings.FAMILIES | lint.FAMILIES | service.FAMILIES
KINDS: dict[str, FindingKind] = findings.KINDS | lint.KINDS | service.KINDS


class ExplainDocument(Document, tag="legatum.explain/1"):
    """What a finding means, why it matters, how to mend it, and which standard says so."""

    slug: str
    severity: str
    title: str
    why: str
    remedy: str
    standard: str


class FindingListDocument(Document, tag="legatum.explain-list/1"):
    """All findings there are."""

    findings: list[ExplainDocument]


def explain_document(kind: FindingKind) -> ExplainDocument:
    return ExplainDocument(
        slug=kind.slug,
        severity=str(kind.severity),
        title=kind.title,
        why=kind.why,
        remedy=kind.remedy,
        standard=kind.standard,
    )


def show_explain(document: ExplainDocument, screen: Screen) -> None:
    screen.line(f"{document.title}  [{document.slug}]", STRONG)
    screen.line(document.severity, {"error": BAD, "warning": DOUBT}.get(document.severity, ""))
    screen.line()
    screen.pairs([("why it matters", document.why), ("what to do", document.remedy), ("standard", document.standard)])


def show_list(document: FindingListDocument, screen: Screen) -> None:
    screen.table(
        ("slug", "severity", "what it means"), [(each.slug, each.severity, each.title) for each in document.findings]
    )
