"""A zone put at a provider that only a person can change: what there is to do, and whether it has been done."""

import asyncio
from dataclasses import dataclass

from legatum.core.fault import OutsideFault
from legatum.core.records.name import name_text
from legatum.core.records.rrset import RRset, rrset
from legatum.core.records.rrtype import NS
from legatum.core.zones.difference import Difference, zone_differences
from legatum.core.zones.signer import without_signing
from legatum.core.zones.zone import Zone
from legatum.services.provider import Provider
from legatum.work.outside import Outside
from legatum.work.zones.publish import wrong_answers


@dataclass(frozen=True)
class Worksheet:
    """``differences``: what is there now on the left, what should be on the right; those that are expected are left alone.
    ``whole``: the present contents are known whole, so that what is to be taken away is known too."""

    provider: Provider
    wanted: Zone
    differences: tuple[Difference, ...]
    whole: bool

    @property
    def importable(self) -> Zone:
        """The zone whole, with the provider's own servers in NS and SOA: for pages that import a master file."""
        zone, servers = self.wanted, self.provider.servers
        ns = rrset(zone.origin, NS, zone.apex_ns.ttl if zone.apex_ns else zone.soa_rrset.ttl, servers)
        return zone.with_rrsets([ns, zone.soa_rrset._replace(rdatas=(zone.soa._replace(primary=servers[0]).rdata(),))])

    @property
    def to_do(self) -> tuple[Difference, ...]:
        return tuple(each for each in self.differences if not each.expected)


async def draw_worksheet(outside: Outside, provider: Provider, zone: Zone) -> Worksheet:
    """What to type. Where the provider lets nobody read the zone, each RRset is asked from its servers."""
    zone = without_signing(zone)
    try:
        current, whole = await provider.fetch(zone.origin), True
    except OutsideFault:
        current, whole = await _asked(outside, provider, zone), False
    return Worksheet(provider, zone, zone_differences(without_signing(current), zone), whole)


async def wait_for(outside: Outside, sheet: Worksheet) -> float:
    """Until every server answers as meant; the instant. Raises :class:`OutsideFault` that says what is still otherwise."""
    addresses = await outside.addresses_of(sheet.provider.servers)
    keys = [(each.name, each.rtype) for each in sheet.to_do]

    async def missing() -> str:
        return "; ".join((await wrong_answers(outside, addresses, sheet.wanted, keys))[:4])

    return await outside.until_seen(missing, f"{name_text(sheet.wanted.origin)} at {sheet.provider.name}")


async def _asked(outside: Outside, provider: Provider, zone: Zone) -> Zone:
    addresses = await outside.addresses_of(provider.servers)
    replies = await asyncio.gather(*(outside.asker.ask(addresses[0], *key) for key in sorted(zone.keys)))
    found: list[RRset] = []
    for reply in replies:
        answer = reply.find(reply.rtype) if reply.authoritative else None
        if answer is not None and answer.name == reply.name:
            found.append(answer)
    return Zone(zone.origin, found)
