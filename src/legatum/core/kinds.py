"""Every kind of finding there is: those of a survey, of a zone's contents, and of the services behind the names."""

from legatum.core import findings, lint, service
from legatum.core.findings.finding import FindingKind

FAMILIES = findings.FAMILIES | lint.FAMILIES | service.FAMILIES
KINDS: dict[str, FindingKind] = findings.KINDS | lint.KINDS | service.KINDS
