"""Looking at the chain of trust: the DS set at every parent server, keys and signatures at every server, from the root
down."""

import asyncio
from collections.abc import Mapping
from dataclasses import replace

from legatum.core.dnssec.chain import Chain, Link, Served
from legatum.core.dnssec.request import asked_at
from legatum.core.dnssec.serving import ServerKeys, anchors_of, server_keys
from legatum.core.dnssec.trust import DsSet
from legatum.core.records.name import ROOT, Name, name_text, parse_name
from legatum.core.records.presentation import parse_rdata
from legatum.core.records.rrset import targets
from legatum.core.records.rrtype import CDNSKEY, CDS, DNSKEY, DS, NS, SOA
from legatum.core.running.fault import OutsideFault
from legatum.net.asking.reply import Reply
from legatum.net.asking.roots import PUBLIC_ANCHORS
from legatum.net.asking.walk import Cut, referral
from legatum.work.run_context import RunContext

_ASKED = (DNSKEY, SOA, CDS, CDNSKEY)


async def keys_at(context: RunContext, address: str, zone: Name) -> tuple[ServerKeys, bool]:
    """What one address gives of the zone's signing, and whether it answered at all."""
    replies = await asyncio.gather(*(context.asker.ask(address, zone, rtype, dnssec=True) for rtype in _ASKED))
    keys, soa, *asking = replies
    signatures = [each for reply in replies for each in reply.answer]
    wanting = [told for reply in asking if _has(reply) and (told := reply.find(reply.rtype)) is not None]
    key_set, now = keys.find(DNSKEY) if _has(keys) else None, context.clock.now()
    found = server_keys(zone, key_set, soa.find(SOA), signatures, [each.rtype for each in wanting], now)
    return replace(found, asked=asked_at(zone, wanting, signatures, key_set, now)), all(
        each.answered for each in replies
    )


def _has(reply: Reply) -> bool:
    return reply.authoritative and reply.find(reply.rtype) is not None


async def link_of(context: RunContext, domain: Name) -> Link:
    """The domain's own link alone. Raises as :func:`chain_of`."""
    cut, servers = await _delegated(context, domain)
    return await _link(context, domain, servers, cut.zone, cut.addresses, trust_anchors(context).get(domain, DsSet()))


async def _delegated(context: RunContext, domain: Name) -> tuple[Cut, Mapping[Name, tuple[str, ...]]]:
    cut, known = await context.walker().delegation_of(domain)
    ns = referral(cut.zone, known) or known.find(NS) if known is not None else None
    if known is None:
        raise OutsideFault(
            f"{name_text(domain)}: no server of {name_text(cut.zone)} answers", "is the network up? Try again"
        )
    if ns is None:
        raise OutsideFault(
            f"nobody delegates {name_text(domain)}", "is it spelt right? Give the domain, not a name in it"
        )
    return cut, await context.addresses(targets(ns))


async def chain_of(context: RunContext, domain: Name) -> Chain:
    """Raises :class:`OutsideFault` for a domain that nobody delegates, and where nobody above it answers."""
    walker, anchors = context.walker(), trust_anchors(context)
    _, servers = await _delegated(context, domain)
    zones: list[tuple[Name, Mapping[Name, tuple[str, ...]], Name | None, tuple[str, ...]]] = []
    zone: Name = domain
    while True:
        parent = await walker.parent_of(zone) if zone != ROOT else None
        zones.append((zone, servers, parent.zone if parent else None, parent.addresses if parent else ()))
        if parent is None:
            break
        zone, servers = parent.zone, parent.servers
    links = await asyncio.gather(*(_link(context, *each, anchors.get(each[0], DsSet())) for each in reversed(zones)))
    return Chain(links, "; ".join(context.asker.patience.reach.left_out))


async def _link(
    context: RunContext,
    zone: Name,
    servers: Mapping[Name, tuple[str, ...]],
    parent: Name | None,
    above: tuple[str, ...],
    anchor: DsSet,
) -> Link:
    asker = context.asker
    parents = asker.askable(above)
    places = [(server, address) for server, addresses in servers.items() for address in asker.askable(addresses)]
    given = await asyncio.gather(*(asker.ask(address, zone, DS) for address in parents))
    found = await asyncio.gather(*(keys_at(context, address, zone) for _, address in places))
    ds = {
        each.server: (anchors_of(held.rdatas, held.ttl) if (held := each.find(DS)) else DsSet())
        if each.answered
        else None
        for each in given
    }
    served = [
        Served(server, address, keys, answered)
        for (server, address), (keys, answered) in zip(places, found, strict=True)
    ]
    return Link(zone, parent, ds, served, anchor)


def trust_anchors(context: RunContext) -> dict[Name, DsSet]:
    """Those of the settings; of the public root where that is asked."""
    network = context.settings.network
    given = network.anchors if network.anchors or network.roots != "public" else PUBLIC_ANCHORS
    return {
        parse_name(zone.rstrip(".") + "."): anchors_of((parse_rdata(DS, text, ROOT) for text in texts), 0)
        for zone, texts in given.items()
    }
