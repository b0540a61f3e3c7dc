"""House templates read from their folder, held against what providers serve, and put right there."""

import tomllib
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path

from legatum.core.records.name import Name, parse_domain
from legatum.core.running.fault import BadInput, Fault
from legatum.core.text.table import Row
from legatum.core.zones.changing.publication import Publication, new_publication
from legatum.core.zones.changing.template import Template, Tenant, drift, expand, put_right, resolve, template_of
from legatum.core.zones.difference import Difference
from legatum.core.zones.zone import fresh_zone
from legatum.services.provider import Provider
from legatum.work.listing import read_rows
from legatum.work.run_context import RunContext
from legatum.work.zones.publish import next_by_rule, present_at

_HEADING = "the first line names the columns: domain,template,address,…"


@dataclass(frozen=True)
class TenantResult:
    """A tenant held against its zone: what differs, zone on the left, and what puts it right; or why nothing can be
    said."""

    tenant: Tenant
    differences: tuple[Difference, ...] = ()
    publication: Publication | None = None
    failed: str = ""


def read_templates(folder: Path) -> dict[str, Template]:
    """Each ``NAME.toml`` of the folder. Raises :class:`BadInput` that names the file."""
    if not folder.is_dir():
        raise BadInput(
            f"no folder of templates at {folder}", "make it, or set `templates` in the settings: docs/settings.md"
        )
    found = {}
    for path in sorted(folder.glob("*.toml")):
        try:
            found[path.stem] = template_of(path.stem, tomllib.loads(path.read_text(encoding="utf-8")))
        except (OSError, UnicodeDecodeError, tomllib.TOMLDecodeError, ValueError, AttributeError, TypeError) as error:
            raise BadInput(f"{path}: {error}", "docs/templates.md shows the form") from None
    return found


def read_tenants(path: Path) -> list[Tenant]:
    """A table with the columns ``domain``, ``template`` and one for each variable. Raises :class:`BadInput`."""
    heading, *rows = list(read_rows(str(path))) or [Row(1, ())]
    if not {"domain", "template"} <= set(heading.cells):
        raise BadInput(f"{path}:{heading.number}: no columns domain and template", _HEADING)
    tenants: dict[Name, tuple[int, Tenant]] = {}
    for row in rows:
        given = dict(zip(heading.cells, row.cells, strict=False))
        if len(row.cells) > len(heading.cells) or not given.get("domain") or not given.get("template"):
            raise BadInput(f"{path}:{row.number}: no domain and template", _HEADING)
        values = {key: value for key, value in given.items() if key not in ("domain", "template") and value}
        try:
            tenant = Tenant(parse_domain(given["domain"]), given["template"], values)
        except BadInput as fault:
            raise BadInput(f"{path}:{row.number}: {fault.message}", fault.remedy) from None
        number, earlier = tenants.setdefault(tenant.domain, (row.number, tenant))
        if earlier != tenant:
            raise BadInput(
                f"{path}:{row.number}: {given['domain']} stands on line {number} too, with other values",
                "keep one of them",
            )
    return [tenant for _, tenant in tenants.values()]


async def hold(
    context: RunContext, provider: Provider, templates: Mapping[str, Template], tenant: Tenant
) -> TenantResult:
    """A tenant against what the provider serves."""
    try:
        demands = expand(resolve(tenant.template, templates), tenant.domain, tenant.values)
        present = await present_at(context, provider, tenant.domain)
    except Fault as fault:
        return TenantResult(tenant, failed=fault.message)
    zone = present or fresh_zone(tenant.domain, provider.servers)
    differences = drift(zone, demands)
    if not differences and present:
        return TenantResult(tenant, publication=Publication.between(provider.name, present, present))
    wanted = put_right(zone, demands).with_serial(next_by_rule(context, zone))
    if present is None:
        return TenantResult(tenant, differences, new_publication(provider.name, wanted))
    return TenantResult(tenant, differences, Publication.between(provider.name, zone, wanted))
