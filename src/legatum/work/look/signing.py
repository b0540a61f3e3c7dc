"""Looking how a domain is signed: the DS set at every parent server, keys and signatures at every server of both sides,
one by one."""

import asyncio
from collections.abc import Sequence

from legatum.core.dnssec.serving import anchors_of, holds
from legatum.core.moves.kinds.trust.signature_expiry import Signing
from legatum.core.observation.observation import Observation
from legatum.core.records.name import Name
from legatum.core.records.rrtype import DS
from legatum.work.look.chain import keys_at
from legatum.work.memory import remembered_keys
from legatum.work.run_context import RunContext


async def look_at_signing(
    context: RunContext, domain: Name, left: Sequence[str], right: Sequence[str], beside: Sequence[str] = ()
) -> Signing:  # fmt: skip
    """``left``, ``right``: addresses of the old side and of the new one, ``beside``: of one beside the old one. Raises
    :class:`OutsideFault`."""
    asker = context.asker
    cut = await context.walker().parent_of(domain)
    parents = asker.askable(cut.addresses)
    sides = [asker.askable(each) for each in (left, right, beside)]
    above = await asyncio.gather(*(asker.ask(address, domain, DS) for address in parents))
    below = await asyncio.gather(*(keys_at(context, address, domain) for side in sides for address in side))
    given = dict(zip((address for side in sides for address in side), below, strict=True))
    silent = [each.server for each in above if not each.answered]
    silent += [address for address, (_, answered) in given.items() if not answered]
    ds = {
        each.server: anchors_of(found.rdatas, found.ttl) if (found := each.find(DS)) else anchors_of((), 0)
        for each in above
    }
    old, new, second = ({address: given[address][0] for address in side} for side in sides)
    return Signing(ds, old, new, second, tuple(dict.fromkeys(silent)))


async def still_signed(context: RunContext, observation: Observation) -> tuple[str, ...]:
    """Providers of the settings to which nobody is led any more, that were seen to sign the domain, and serve it still
    as its DS set wants it."""
    anchors = anchors_of(observation.ds, 0)
    led, found = {*observation.delegation, *observation.own_ns}, []
    for name in context.providers:
        servers = context.provider(name).servers
        if led & set(servers) or not any(each.keys for each in remembered_keys(context, name, observation.domain)):
            continue
        addresses = context.asker.askable(await context.addresses_of(servers))
        given = await asyncio.gather(*(keys_at(context, address, observation.domain) for address in addresses))
        if any(answered and holds(observation.domain, anchors, keys) for keys, answered in given):
            found.append(name)
    return tuple(found)
