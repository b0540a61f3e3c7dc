"""Templates, and the domains that have drifted from them."""

from collections.abc import Mapping, Sequence

from legatum.core.records.name import Name, name_text
from legatum.core.records.presentation import rdata_texts
from legatum.core.zones.changing.template import Demand, Template, resolve, variables_of
from legatum.core.zones.difference import difference_text
from legatum.views.document import Document, Part
from legatum.views.screen import BAD, DOUBT, QUIET, Screen
from legatum.views.zones.compare import DifferencePart, difference_part
from legatum.views.zones.publish import NOT_THERE
from legatum.work.zones.templates import TenantResult


class RecordPart(Part):
    """``among``: other records of the set stay."""

    name: str
    type: str
    ttl: int
    data: list[str]
    among: bool = False


class TemplateDocument(Document, tag="legatum.template/1"):
    """What one domain gets from a template."""

    template: str
    title: str
    domain: str
    records: list[RecordPart]


class TenantPart(Part):
    """``state``: ``as its template``, ``drifted``, ``not there`` for a zone that can be made, ``put right``, ``made``,
    ``declined`` or ``failed``, then ``failed`` says why."""

    domain: str
    template: str
    state: str
    differences: list[DifferencePart]
    failed: str


class DriftDocument(Document, tag="legatum.drift/1"):
    """Domains held against their templates at one provider. ``state``: ``compared``, ``shown``, ``declined`` or
    ``done``."""

    state: str
    provider: str
    tenants: list[TenantPart]


def template_document(template: Template, domain: Name, demands: Sequence[Demand]) -> TemplateDocument:
    records = [
        RecordPart(name=name_text(each.name), type=each.type_text, ttl=each.ttl, data=rdata_texts(each), among=among)
        for each, among in demands
    ]
    return TemplateDocument(template=template.name, title=template.title, domain=name_text(domain), records=records)


def show_template(document: TemplateDocument, screen: Screen) -> None:
    screen.line(f"{document.template}: {document.title or 'no title'}; {document.domain} gets", QUIET)
    rows = [
        (each.name, each.type, each.ttl, "\n".join(each.data) + (" …" if each.among else ""))
        for each in document.records
    ]
    screen.table(("name", "type", "TTL", "data"), rows)


def tenant_part(held: TenantResult, state: str = "", failed: str = "") -> TenantPart:
    failed = failed or held.failed
    is_new = held.publication is not None and held.publication.is_new
    usual = "failed" if failed else "not there" if is_new else "drifted" if held.differences else "as its template"
    return TenantPart(
        domain=name_text(held.tenant.domain),
        template=held.tenant.template,
        state=usual if failed else state or usual,
        differences=[difference_part(each) for each in held.differences],
        failed=failed,
    )


def drift_lines(held: TenantResult) -> list[str]:
    """Now → as the template says."""
    making = [NOT_THERE] if held.publication is not None and held.publication.is_new else []
    return [*making, *(difference_text(each) for each in held.differences)]


def show_drift(document: DriftDocument, screen: Screen) -> None:
    states = ("drifted", "not there", "failed", "declined", "put right", "made")
    counts = {state: [each for each in document.tenants if each.state == state] for state in states}
    bad = [each for each in document.tenants if each.state in states[:4]]
    told = (
        ", ".join(f"{len(found)} {state}" for state, found in counts.items() if found) or "all as their templates say"
    )
    mended = counts["drifted"] or counts["not there"]
    if bad:
        following = (
            "`legatum template apply DOMAIN --template NAME --at PROVIDER` puts them right"
            if mended
            else "look at the reasons below"
        )
    else:
        following = (
            "point the new ones' delegations there: `legatum registration nameservers DOMAIN --to PROVIDER`"
            if counts["made"]
            else ""
        )
    count = f"{len(document.tenants)} domain{'' if len(document.tenants) == 1 else 's'}"
    good = not bad if document.state != "shown" else not counts["failed"]
    screen.ended(document.state, good, f"{count} at {document.provider}: {told}", following)
    for each in document.tenants:
        if each.state == "as its template":
            continue
        screen.line()
        screen.line(
            f"{each.domain} ({each.template}): {each.state}",
            {"failed": BAD, "drifted": DOUBT, "not there": DOUBT}.get(each.state, ""),
        )
        if each.failed:
            screen.line(f"  {each.failed}")
        for part in each.differences:
            old, new = (
                f"{side.ttl} {' | '.join(side.data)}" if side else "nothing" for side in (part.left, part.right)
            )
            screen.line(f"  {part.name} {part.type}: {old} → {new}", indent=6)


class TemplatePart(Part):
    """``variables``: with a value where the template has one."""

    name: str
    title: str
    inherits: str
    records: int
    variables: dict[str, str | None]


class TemplateListDocument(Document, tag="legatum.template-list/1"):
    """The house's templates."""

    templates: list[TemplatePart]


def template_parts(templates: Mapping[str, Template]) -> list[TemplatePart]:
    parts = []
    for name in templates:
        whole = resolve(name, templates)
        variables = {each: whole.variables.get(each) for each in sorted(variables_of(whole))}
        parts.append(
            TemplatePart(
                name=name,
                title=whole.title,
                inherits=templates[name].inherits,
                records=len(whole.records),
                variables=variables,
            )
        )
    return parts


def show_templates(document: TemplateListDocument, screen: Screen) -> None:
    rows = [
        (
            each.name,
            each.title,
            each.inherits or "-",
            each.records,
            ", ".join(f"{name} = {value}" if value is not None else name for name, value in each.variables.items())
            or "-",
        )
        for each in document.templates
    ]
    screen.table(("template", "for", "inherits", "records", "variables"), rows)
