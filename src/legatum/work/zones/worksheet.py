"""A zone put at a provider that only a person can change: what there is to do, and whether it has been done."""

import asyncio

from legatum.core.records.name import name_text
from legatum.core.records.rrset import RRset
from legatum.core.running.fault import OutsideFault
from legatum.core.zones.changing.worksheet import Worksheet
from legatum.core.zones.completeness import Degree
from legatum.core.zones.difference import zone_differences
from legatum.core.zones.signer import without_signing
from legatum.core.zones.zone import Zone
from legatum.services.provider import Provider
from legatum.work.run_context import RunContext
from legatum.work.zones.publish import wrong_answers


async def draw_worksheet(context: RunContext, provider: Provider, zone: Zone) -> Worksheet:
    """What to type. Where the provider lets nobody read the zone, each RRset is asked from its servers."""
    zone = without_signing(zone)
    context.ask_for(zone)
    try:
        current = await provider.fetch(zone.origin)
        how = context.gathered.get((provider.servers, zone.origin))
        whole = how is None or how.degree == Degree.COMPLETE
    except OutsideFault:
        current, whole = await _asked(context, provider, zone), False
    return Worksheet(
        provider.name, tuple(provider.servers), zone, zone_differences(without_signing(current), zone), whole
    )


async def wait_for(context: RunContext, sheet: Worksheet) -> float:
    """Until every server answers as meant; the instant. Raises :class:`OutsideFault` that says what is still
    otherwise."""
    addresses = await context.addresses_of(sheet.servers)
    keys = [(each.name, each.rtype) for each in sheet.to_do]

    async def missing() -> str:
        return "; ".join((await wrong_answers(context, addresses, sheet.wanted, keys))[:4])

    return await context.until_seen(missing, f"{name_text(sheet.wanted.origin)} at {sheet.place}")


async def _asked(context: RunContext, provider: Provider, zone: Zone) -> Zone:
    addresses = await context.addresses_of(provider.servers)
    replies = await asyncio.gather(*(context.asker.ask(addresses[0], *key) for key in sorted(zone.keys)))
    found: list[RRset] = []
    for reply in replies:
        answer = reply.find(reply.rtype) if reply.authoritative else None
        if answer is not None and answer.name == reply.name:
            found.append(answer)
    return Zone(zone.origin, found)
