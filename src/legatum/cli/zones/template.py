"""``legatum template list / show / drift / apply``"""

import argparse
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from legatum.cli.program.common import FOUND, OK, SHUT, add_anyway, add_changing, add_common, agreed, show, with_outside

if TYPE_CHECKING:
    from legatum.core.zones.changing.template import Template, Tenant
    from legatum.views.zones.templates import TenantPart
    from legatum.work.run_context import RunContext
    from legatum.work.zones.templates import TenantResult

_AT_ONCE = 16  # domains


def configure(parser: argparse.ArgumentParser) -> None:
    actions = parser.add_subparsers(dest="action", required=True, metavar="ACTION")
    listing = actions.add_parser("list", help="the templates there are")
    shown = actions.add_parser("show", help="what a domain gets")
    drift = actions.add_parser("drift", help="which domains are no longer as their template says")
    apply = actions.add_parser("apply", help="give domains what their template says")
    for action in (shown, drift, apply):
        action.add_argument("domain", nargs="*" if action is not shown else 1, metavar="DOMAIN")
        action.add_argument("--template", metavar="NAME", required=action is shown)
        action.add_argument(
            "--set", action="append", default=[], metavar="NAME=VALUE", help="a variable's value (repeatable)"
        )
    for action in (drift, apply):
        action.add_argument(
            "--list", metavar="FILE", help="a CSV table: domain, template, and a column for each variable"
        )
        action.add_argument("--at", required=True, metavar="PROVIDER", help="a provider of the settings")
    add_anyway(apply)
    add_changing(apply)
    for action in (listing, shown, drift, apply):
        add_common(action)


def run(args: argparse.Namespace) -> int:
    async def work(context: "RunContext") -> int:
        from legatum.work.zones.templates import read_templates

        templates = read_templates(context.folder / context.settings.templates)
        if args.action == "list":
            return _list(args, templates)
        if args.action == "show":
            return _show(args, templates)
        return await _hold(args, context, templates)

    return with_outside(args, work)


def _list(args: argparse.Namespace, templates: "dict[str, Template]") -> int:
    from legatum.views.zones.templates import TemplateListDocument, show_templates, template_parts

    document = TemplateListDocument(templates=template_parts(templates))
    show(args, document, lambda screen: show_templates(document, screen))
    return OK


def _show(args: argparse.Namespace, templates: "dict[str, Template]") -> int:
    from legatum.core.zones.changing.template import expand, resolve
    from legatum.views.zones.templates import show_template, template_document

    (tenant,) = _tenants(args)
    template = resolve(tenant.template, templates)
    document = template_document(template, tenant.domain, expand(template, tenant.domain, tenant.values))
    show(args, document, lambda screen: show_template(document, screen))
    return OK


def _tenants(args: argparse.Namespace) -> "list[Tenant]":
    """Those of the list and those given by name. Raises :class:`BadInput`."""
    from legatum.core.records.name import parse_domain
    from legatum.core.running.fault import BadInput
    from legatum.core.zones.changing.template import Tenant
    from legatum.work.zones.templates import read_tenants

    values = {}
    for text in args.set:
        name, equals, value = text.partition("=")
        if not equals:
            raise BadInput(f"--set '{text}': no value", "write --set address=198.51.100.80")
        values[name] = value
    if args.domain and not args.template:
        raise BadInput("domains without a template", "say --template NAME")
    tenants = [Tenant(parse_domain(text), args.template, values) for text in args.domain]
    if getattr(args, "list", None):
        tenants += read_tenants(Path(args.list))
    if not tenants:
        raise BadInput("no domain", "give domains with --template NAME, or --list FILE")
    return tenants


async def _hold(args: argparse.Namespace, context: "RunContext", templates: "dict[str, Template]") -> int:
    from legatum.net.side_by_side import side_by_side
    from legatum.views.zones.templates import DriftDocument, show_drift

    # Whoever is asked is asked about one domain at a time.
    at_once = _AT_ONCE if args.action == "drift" or args.yes else 1
    parts = await side_by_side(partial(_tenant, args, context, templates), _tenants(args), at_once)
    states = {part.state for part in parts}
    if args.action == "drift":
        state = "compared"
    else:
        state = (
            "shown"
            if args.dry_run
            else "declined"
            if states <= {"declined", "as its template"} and "declined" in states
            else "done"
        )
    document = DriftDocument(state=state, provider=args.at, tenants=list(parts))
    show(args, document, lambda screen: show_drift(document, screen))
    bad = {"failed"} if state == "shown" else {"failed", "drifted", "not there"}
    return FOUND if states & bad else SHUT if "declined" in states else OK


async def _tenant(
    args: argparse.Namespace, context: "RunContext", templates: "dict[str, Template]", tenant: "Tenant"
) -> "TenantPart":
    from legatum.core.running.fault import Fault
    from legatum.views.zones.templates import tenant_part
    from legatum.work.zones.publish import prove
    from legatum.work.zones.templates import hold

    held = await hold(context, context.provider(args.at), templates, tenant)
    if args.action == "drift" or held.publication is None:
        return tenant_part(held)
    try:
        if not held.differences and not held.publication.is_new:
            await prove(context, held.publication, held.publication.wanted.keys, patience=0)
            return tenant_part(held)
        return tenant_part(held, await _put_right(args, context, held))
    except Fault as fault:
        return tenant_part(held, failed=fault.message)


async def _put_right(args: argparse.Namespace, context: "RunContext", held: "TenantResult") -> str:
    from legatum.core.records.name import name_text
    from legatum.core.zones.changing.publication import refuse_removal
    from legatum.views.zones.templates import drift_lines
    from legatum.work.zones.harm import refuse_harm
    from legatum.work.zones.publish import publish

    assert held.publication is not None
    refuse_removal(held.publication, context.settings.house.most_removed)
    if not args.anyway:
        await refuse_harm(context, held.publication)
    if not agreed(
        args, f"{name_text(held.tenant.domain)} at {args.at}, old → as {held.tenant.template} says:", drift_lines(held)
    ):
        return "" if args.dry_run else "declined"
    await publish(context, held.publication)
    return "made" if held.publication.is_new else "put right"
