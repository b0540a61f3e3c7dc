"""From keys on the wire to their DS records, where every server must have the same; and what a zone asks for itself."""

import asyncio

from legatum.core.dnssec.chain import agreed_keys, refuse_silent
from legatum.core.dnssec.request import Request, asked_at, refuse_first, request_of, signal_name
from legatum.core.records.name import Name
from legatum.core.records.rrtype import CDNSKEY, CDS, DNSKEY
from legatum.work.look.chain import chain_of
from legatum.work.run_context import RunContext


async def keys_on_the_wire(context: RunContext, domain: Name) -> tuple[bytes, ...]:
    """Those that sign the key set. Raises :class:`GateShut` where servers do not have the same, or signatures do not
    hold."""
    return agreed_keys((await chain_of(context, domain)).links[-1])


async def asked_on_the_wire(context: RunContext, domain: Name) -> tuple[Request, str]:
    """What the zone asks its parent for; and why a parent should not act on that by itself, empty where it may. Raises
    :class:`GateShut` for what is no request."""
    own = (await chain_of(context, domain)).links[-1]
    refuse_silent(own)
    request = request_of(domain, {each.address: each.given for each in own.servers}, own.anchors)
    if own.anchors or request.removes:
        return request, ""
    named = {
        host: name for host in {each.server for each in own.servers} if (name := signal_name(domain, host)) is not None
    }
    said = await asyncio.gather(*(_signalled(context, domain, name) for name in named.values()))
    return request, refuse_first(request, dict(zip(named, said, strict=True)))


async def _signalled(context: RunContext, domain: Name, name: Name) -> tuple[str, tuple[bytes, ...] | None]:
    """The state of the zone that holds a signalling name, and what it asks for there, by signatures that hold."""
    cut = await context.walker().parent_of(name)
    state, asker = (await chain_of(context, cut.zone)).state, context.asker
    for address in asker.askable(cut.addresses):
        keys, *given = await asyncio.gather(
            asker.ask(address, cut.zone, DNSKEY, dnssec=True),
            *(asker.ask(address, name, each, dnssec=True) for each in (CDS, CDNSKEY)),
        )
        sets = [found for reply in given if (found := reply.find(reply.rtype)) is not None]
        sections = [each for reply in given for each in reply.answer]
        asked = asked_at(domain, sets, sections, keys.find(DNSKEY), context.clock.now(), name)
        return str(state), asked.ds if asked is not None and asked.by and not asked.wrong else None
    return str(state), None
