"""Servers that give different answers to one question, asked again: often, and on behalf of several networks."""

import asyncio
from collections.abc import Iterable, Mapping, Sequence

from legatum.core.observation.variety import Sample, Variety, members, more_needed
from legatum.core.records.name import Name
from legatum.core.records.rrset import RRset
from legatum.net.asker import OFFERED
from legatum.net.evidence import Evidence
from legatum.net.reply import Reply
from legatum.wire.message import encode_question
from legatum.work.outside import Outside

_AT_ONCE = 4  # rounds of questions before it is looked at whether more are needed
_NO_NAME = 3


async def look_at_variety(outside: Outside, addresses: Iterable[str], name: Name, rtype: int) -> Variety:
    """``addresses``: of authoritative servers. Each is asked without a network, and for each network of the settings."""
    servers, networks = list(dict.fromkeys(addresses)), ["", *outside.settings.network.behalf]
    samples: list[Sample] = []
    while True:
        fresh = _samples(*await _ask_round(outside, servers, networks, name, rtype))
        samples += fresh
        if not fresh or not more_needed(samples):
            return Variety(tuple(samples))


async def variety_among(
    outside: Outside, evidence: Evidence, given: Mapping[str, RRset | None], name: Name, rtype: int
) -> Variety | None:  # fmt: skip
    """The same where ``given``, what each server said when it was asked once, is not the same; else None. It rests on all that is in the
    evidence: kept replies show it again."""
    if len({each.rdatas for each in given.values() if each is not None}) < 2:
        return None
    servers, networks = frozenset(given), ["", *outside.settings.network.behalf]
    queries = {encode_question(0, name, rtype, size=OFFERED, network=network)[2:]: network for network in networks}

    def kept() -> list[Sample]:
        found = [
            each for each in evidence if each.server in servers and (each.name, each.rtype) == (name, rtype) and each.query[2:] in queries
        ]
        return _samples([(each.server, queries[each.query[2:]]) for each in found], found)

    samples = kept()
    while more_needed(samples):
        known = len(samples)
        await _ask_round(outside, sorted(servers), networks, name, rtype)
        samples = kept()
        if len(samples) == known:
            break
    return Variety(tuple(samples)) if samples else None


async def _ask_round(
    outside: Outside, servers: Sequence[str], networks: Sequence[str], name: Name, rtype: int
) -> tuple[list[tuple[str, str]], list[Reply]]:
    """Some questions to each, in an order of chance: who gives the next part each time must not meet an order of ours."""
    asked = [(server, network) for _ in range(_AT_ONCE) for server in servers for network in networks]
    outside.asker.random.shuffle(asked)
    return asked, await asyncio.gather(*(outside.asker.ask(server, name, rtype, network=network) for server, network in asked))


def _samples(asked: Sequence[tuple[str, str]], replies: Sequence[Reply]) -> list[Sample]:
    """Failures say nothing of what a server has."""
    return [
        Sample(server, network, members(reply.answer))
        for (server, network), reply in zip(asked, replies, strict=True)
        if reply.answered and reply.rcode in (0, _NO_NAME)
    ]
