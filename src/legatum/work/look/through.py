"""A domain as a resolver has it, where no server can be asked from here: its copies, and how long they are kept."""

import asyncio
from collections.abc import Iterable

from legatum.core.observation.through import SeenThrough, Unheard
from legatum.core.records.name import Name, below
from legatum.core.records.rrset import targets
from legatum.core.records.rrtype import AAAA, CAA, DS, MX, NS, RRSIG, SOA, TXT, A
from legatum.core.running.fault import OutsideFault
from legatum.net.asking.reply import Reply
from legatum.net.asking.resolver import ResolverPlace, ask_resolver
from legatum.wire.message import AD
from legatum.work.look.resolver import extended_errors
from legatum.work.run_context import RunContext

_AT_APEX = (NS, SOA, DS, A, AAAA, MX, TXT, CAA)
_MOST_HOSTS = 8  # name servers and mail servers whose addresses are asked for
_NXDOMAIN = 3


class OnlyResolver(OutsideFault):
    """No server answers from here, but a resolver does."""

    def __init__(self, name: str, place: ResolverPlace) -> None:
        super().__init__(
            f"no root server answers from here, but the resolver {name} ({place.address}) does: it is the only way out",
            "a resolver's copies show no server, so nothing is judged by them: have port 53 let through, or "
            "look from another network",
        )
        self.name = name
        self.place = place


async def look_through(context: RunContext, domain: Name, name: str, place: ResolverPlace) -> SeenThrough:
    """What the resolver called ``name`` has of the domain, of the names that sites and mail use, and of the hosts that
    these name."""
    at_names = [(below("www", domain), A), (below("www", domain), AAAA), (below("_dmarc", domain), TXT)]
    heard = await _ask(context, place, [*((domain, rtype) for rtype in _AT_APEX), *at_names])
    named = [host for rtype in (NS, MX) for host in targets(heard[domain, rtype].find(rtype))]
    hosts = list(dict.fromkeys(each for each in named if (each, A) not in heard))[:_MOST_HOSTS]
    heard |= await _ask(context, place, ((host, rtype) for host in hosts for rtype in (A, AAAA)))
    answered = {key: reply for key, reply in heard.items() if reply.answered and reply.rcode in (0, _NXDOMAIN)}
    return SeenThrough(
        domain=domain,
        at=context.clock.now(),
        resolver=name,
        address=place.address,
        sets=tuple(dict.fromkeys(each for reply in answered.values() for each in reply.answer if each.rtype != RRSIG)),
        absent=tuple(key for key, reply in answered.items() if reply.rcode == 0 and not reply.answer),
        no_such=tuple(dict.fromkeys(key[0] for key, reply in answered.items() if reply.rcode == _NXDOMAIN)),
        unheard=tuple(_unheard(reply) for key, reply in heard.items() if key not in answered),
        authenticated=bool(answered) and all(reply.message.flags & AD for reply in answered.values()),
    )


async def _ask(
    context: RunContext, place: ResolverPlace, questions: Iterable[tuple[Name, int]]
) -> dict[tuple[Name, int], Reply]:
    asked = list(questions)
    replies = await asyncio.gather(*(ask_resolver(context.asker, place, name, rtype) for name, rtype in asked))
    return dict(zip(asked, replies, strict=True))


def _unheard(reply: Reply) -> Unheard:
    return Unheard(
        reply.name, reply.rtype, reply.outcome, tuple(text or str(code) for code, text in extended_errors(reply))
    )
