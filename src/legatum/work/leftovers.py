"""What was left behind of a domain: everything looked at that may still hold something of it."""

import asyncio
from collections.abc import Mapping, Sequence
from dataclasses import replace
from pathlib import Path

from legatum.core.memory.history import acts
from legatum.core.observation.hosts import refuse_used
from legatum.core.observation.leftovers import KnownToHouse, Leftover, LeftoverKind, hosts_in, leftovers
from legatum.core.observation.observation import Observation
from legatum.core.records.name import Name
from legatum.core.records.rrset import RRset
from legatum.core.records.rrtype import NS, SOA
from legatum.core.running.fault import Fault, GateShut, OutsideFault
from legatum.core.zones.changing.template import Template, Tenant, expand, resolve
from legatum.core.zones.zone import Zone
from legatum.services.provider import server_names
from legatum.services.registrar import Registrar
from legatum.work.registry.hosts import held_addresses, look_for_host_users
from legatum.work.run_context import RunContext
from legatum.work.zones.templates import read_templates, read_tenants


async def look_for_leftovers(
    context: RunContext,
    observation: Observation,
    zone: Zone,
    registrar: str,
    templates: Mapping[str, Template] | None = None,
    tenant: Tenant | None = None,
) -> tuple[list[Leftover], list[str]]:
    """``zone``: as it is served now; ``registrar``: the account, empty for none; ``templates``, ``tenant``: the
    house's, and which one is the domain's. Also what was not looked at, in words."""
    domain, journal, left = observation.domain, context.journal, list[str]()
    memory = journal.memory(domain)
    account = context.registrar(registrar) if registrar else None
    held = None
    if account is None:
        left.append("hosts at the registry (no account: --registrar NAME)")
    else:
        try:
            held = await _held_hosts(context, account, domain, zone)
        except OutsideFault as fault:
            left.append(f"hosts at the registry: {fault.message}")
    if tenant is None or templates is None:
        left.append("records of other templates (which is the domain's? --tenants FILE)")
    known = KnownToHouse(
        zone,
        await look_for_former(context, observation),
        held,
        hosts_in(each.data for each in memory if each.rtype == NS),
        acts(journal.entries(domain)),
        {
            (each.name, each.rtype): each.first
            for each in sorted(memory, key=lambda each: -each.first)
            if each.gone is None
        },
        _only_of(templates, tenant) if tenant is not None and templates is not None else None,
    )
    found = leftovers(observation, known, registrar)
    return [await _checked(context, each, account) for each in found], left


def tenancy(context: RunContext, domain: Name, table: str) -> tuple[dict[str, Template] | None, Tenant | None]:
    """The house's templates, and which of them is the domain's by a table; None where there is no table. Raises
    :class:`BadInput`."""
    if not table:
        return None, None
    tenants = {each.domain: each for each in read_tenants(Path(table))}
    return read_templates(context.folder / context.settings.templates), tenants.get(domain)


async def _checked(context: RunContext, found: Leftover, account: Registrar | None) -> Leftover:
    """A host that somebody else uses stays."""
    if found.kind != LeftoverKind.HOST or found.host is None:
        return found
    try:
        refuse_used(found.host, await look_for_host_users(context, found.host, (), account))
    except GateShut as shut:
        return replace(found, sure=False, why=shut.message)
    return found


async def look_for_former(context: RunContext, observation: Observation) -> dict[str, RRset | None]:
    """Providers and secondaries of the settings that answer for the domain, and that neither the parent nor the zone
    leads to."""
    led = {*observation.delegation, *observation.own_ns}
    sections = {**context.providers, **context.settings.secondaries}
    others = {name: each.servers for name, each in sections.items() if not led & set(server_names(each.servers))}

    async def served(name: str, servers: Sequence[str]) -> tuple[str, RRset | None] | None:
        try:
            addresses = await context.addresses_of(server_names(servers))
        except OutsideFault:
            return None
        replies = await asyncio.gather(
            *(context.asker.ask(address, observation.domain, rtype) for address in addresses for rtype in (SOA, NS))
        )
        own = [each for each in replies if each.authoritative and each.find(SOA)]
        return (
            (name, next((ns for each in replies if each.authoritative and (ns := each.find(NS))), None))
            if own
            else None
        )

    found = await asyncio.gather(*(served(name, servers) for name, servers in others.items()))
    return dict(each for each in found if each is not None)


async def _held_hosts(context: RunContext, account: Registrar, domain: Name, zone: Zone) -> dict[Name, tuple[str, ...]]:
    """Raises :class:`OutsideFault`."""
    held = await account.registration(domain)
    found = {}
    for host in held.hosts:
        found[host] = await held_addresses(context, account, host) or ()
    return found


def _only_of(templates: Mapping[str, Template], tenant: Tenant) -> dict[str, list[RRset]]:
    """Template → what it gives and the tenant's own does not."""
    own = {
        (each.rrset.name, each.rrset.rtype)
        for each in expand(resolve(tenant.template, templates), tenant.domain, tenant.values)
    }
    found: dict[str, list[RRset]] = {}
    for name in templates:
        try:
            demands = expand(resolve(name, templates), tenant.domain, tenant.values)
        except Fault:
            continue  # it wants values that this domain does not give
        sets = [each.rrset for each in demands if not each.among and (each.rrset.name, each.rrset.rtype) not in own]
        if name != tenant.template and sets:
            found[name] = sets
    return found
