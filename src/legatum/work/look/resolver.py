"""What resolvers say, plainly or over TLS or HTTPS: with the TTL that is left, whether they validated it, and extended
errors."""

import asyncio
from collections.abc import Mapping

from legatum.core.observation.observation import ResolverView
from legatum.core.records.name import Name
from legatum.core.records.rrtype import NS, SOA
from legatum.net.asking.asker import Asker
from legatum.net.asking.reply import Reply
from legatum.net.asking.resolver import ResolverPlace, ask_resolver
from legatum.net.keeping.evidence import Evidence
from legatum.wire.message import AD

_EXTENDED_ERROR = 15  # RFC 8914 s2


async def look_at_resolvers(
    asker: Asker, evidence: Evidence, places: Mapping[str, ResolverPlace], domain: Name, above: Name
) -> tuple[ResolverView, ...]:
    """``above``: the zone above the domain, for which one that is silent is asked too: it may be busy failing."""
    return tuple(
        await asyncio.gather(*(_view(asker, evidence, name, place, domain, above) for name, place in places.items()))
    )


async def _view(
    asker: Asker, evidence: Evidence, name: str, place: ResolverPlace, domain: Name, above: Name
) -> ResolverView:
    ns, soa = await asyncio.gather(*(ask_resolver(asker, place, domain, rtype) for rtype in (NS, SOA)))
    busy = not soa.answered and (await ask_resolver(asker, place, above, SOA)).rcode == 0
    found = ns.find(NS)
    return ResolverView(
        name,
        place.address,
        "answer" if found else ns.outcome,
        found,
        soa.find(SOA),
        evidence.number(ns),
        "UDP" if place.over == "plain" else place.over.upper(),
        soa.rcode,
        bool(soa.answered and soa.message.flags & AD),
        tuple(dict.fromkeys(extended_errors(ns) + extended_errors(soa))),
        busy,
    )


def extended_errors(reply: Reply) -> list[tuple[int, str]]:
    """Number and text of each extended error in an answer."""
    options = reply.message.edns.options if reply.answered and reply.message.edns else ()
    return [
        (int.from_bytes(data[:2]), data[2:].decode("utf-8", "replace"))
        for code, data in options
        if code == _EXTENDED_ERROR and len(data) > 1
    ]
