"""What the servers of the parent zone hand out for a domain, address by address."""

import asyncio

from legatum.core.moves.drift.drift import HandedOn
from legatum.core.records.name import Name
from legatum.core.records.rrtype import NS
from legatum.net.asking.walk import referral
from legatum.work.run_context import RunContext


async def look_at_delegation(context: RunContext, domain: Name) -> HandedOn:
    """Asked of every address of the parent's servers."""
    cut = await context.walker().parent_of(domain)
    replies = await asyncio.gather(*(context.asker.ask(address, domain, NS) for address in cut.addresses))
    given = {each.server: referral(cut.zone, each) or each.find(NS) for each in replies if each.answered}
    return HandedOn(given, tuple(each.server for each in replies if not each.answered))
