"""Changing the apex NS set on one side: what the steps that do so share."""

import asyncio

from legatum.core.difference import Difference, zone_differences
from legatum.core.name import name_text
from legatum.core.rrset import RRset
from legatum.core.rrtype import NS, SOA
from legatum.core.soa import next_serial
from legatum.core.zone import Zone
from legatum.services.provider import Provider
from legatum.work.outside import Outside
from legatum.work.publish import Publication, Published, carry_out


async def plan_apex(provider: Provider, zone: Zone, wanted: RRset) -> Publication:
    """The zone as the provider serves it, with this NS set, the serial raised where that changes anything."""
    changed = zone.with_rrsets([wanted])
    if changed != zone:
        changed = changed.with_serial(next_serial(zone.soa.serial))
    return Publication(provider, zone, changed, zone_differences(zone, changed))


def apex_change(publication: Publication) -> list[Difference]:
    return [each for each in publication.differences if each.rtype != SOA]


async def set_apex(outside: Outside, publication: Publication, wanted: RRset) -> tuple[Published, float]:
    """Carries it out; what was published, and the instant when every server was seen with the set."""
    done = await carry_out(outside, publication)
    return done, await see_apex(outside, done.addresses, wanted)


async def see_apex(outside: Outside, addresses: tuple[str, ...], wanted: RRset) -> float:
    """Waits until every address hands out this NS set with this TTL; the instant."""

    async def missing() -> str:
        replies = await asyncio.gather(*(outside.asker.ask(address, wanted.name, NS) for address in addresses))
        return ", ".join(reply.server for reply in replies if reply.find(NS) != wanted)

    return await outside.until_seen(missing, f"the NS set of {name_text(wanted.name)}")


async def apex_addresses(outside: Outside, provider: Provider) -> tuple[str, ...]:
    return tuple(address for each in (await outside.addresses(provider.servers)).values() for address in each)
