"""Servers that give different answers to one question, asked again: often, and on behalf of several networks."""

import asyncio
from collections.abc import Iterable, Sequence

from legatum.core.agreement.variety import Sample, Variety, members, more_needed
from legatum.core.records.name import Name
from legatum.net.asking.reply import Reply
from legatum.work.run_context import RunContext

_AT_ONCE = 4  # rounds of questions before it is looked at whether more are needed
_NO_NAME = 3


async def look_at_variety(context: RunContext, addresses: Iterable[str], name: Name, rtype: int) -> Variety:
    """``addresses``: of authoritative servers. Each is asked without a network, and for each network of the
    settings."""
    servers, networks = list(dict.fromkeys(addresses)), ["", *context.settings.network.behalf]
    samples: list[Sample] = []
    while True:
        asked = [(server, network) for _ in range(_AT_ONCE) for server in servers for network in networks]
        context.asker.random.shuffle(asked)  # who gives the next part each time must not meet an order of ours
        replies = await asyncio.gather(
            *(context.asker.ask(server, name, rtype, network=network) for server, network in asked)
        )
        fresh = _samples(asked, replies)
        samples += fresh
        if not fresh or not more_needed(samples):
            return Variety(tuple(samples))


def _samples(asked: Sequence[tuple[str, str]], replies: Sequence[Reply]) -> list[Sample]:
    """Failures say nothing of what a server has."""
    return [
        Sample(server, network, members(reply.answer))
        for (server, network), reply in zip(asked, replies, strict=True)
        if reply.answered and reply.rcode in (0, _NO_NAME)
    ]
