"""Every kind of finding there is: those of a survey and those of a zone's contents."""

from legatum.core import findings, lint
from legatum.core.findings.finding import Kind

FAMILIES = findings.FAMILIES | lint.FAMILIES
KINDS: dict[str, Kind] = findings.KINDS | lint.KINDS
