"""A survey with what was left behind: the zone whole where a provider gives it, the journal, the registrar's account
and the templates."""

from dataclasses import replace

from legatum.core.running.fault import OutsideFault
from legatum.core.zones.signer import without_signing
from legatum.core.zones.zone import Zone
from legatum.work.drafting.holders import provider_of
from legatum.work.leftovers import look_for_leftovers, tenancy
from legatum.work.run_context import RunContext
from legatum.work.verdicts.survey import Survey


async def with_leftovers(context: RunContext, found: Survey, registrar: str, tenants: str = "") -> Survey:
    """What was left behind. ``registrar``: the account to ask for hosts; ``tenants``: a table of the house's domains
    and their templates. Raises :class:`BadInput`."""
    domain = found.observation.domain
    place, left = provider_of(context, found.observation), list[str]()
    zone = Zone(
        domain,
        [each for each in found.observation.contents.values() if each is not None and each.name.endswith(domain)],
    )
    try:
        zone = without_signing(await context.provider(place).fetch(domain)) if place else zone
    except OutsideFault as fault:
        place, left = "", [fault.message]
    if not place:
        left.append("records of the zone other than those shown (no provider of the settings gives it whole)")
    behind, unseen = await look_for_leftovers(
        context, found.observation, zone, registrar, *tenancy(context, domain, tenants)
    )
    return replace(found, leftovers=tuple(behind), not_looked_at=(*found.not_looked_at, *left, *unseen))
