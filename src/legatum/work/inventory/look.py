"""One domain of the inventory, in few questions: who is led to for it, and who of ours serves it."""

import asyncio
from collections.abc import Mapping
from dataclasses import dataclass, field, replace

from legatum.core.house.inventory import Item, Side
from legatum.core.records.address import address_text
from legatum.core.records.name import Name, name_text
from legatum.core.records.rrset import targets
from legatum.core.records.rrtype import AAAA, NS, SOA, A
from legatum.core.records.soa import parse_soa
from legatum.net.asking.asker import Asker
from legatum.net.asking.walk import Walker, referral

_NXDOMAIN = 3


@dataclass
class Looker:
    """``sides``: providers and secondaries; one server of each is asked for a domain, the next where that is silent.
    ``soa``: domain and side → the SOA data, to find copies that are not the same."""

    asker: Asker
    walker: Walker
    sides: tuple[Side, ...]
    soa: dict[tuple[str, str], bytes] = field(default_factory=dict)

    async def look(self, domain: Name) -> Item:
        served = asyncio.gather(*(self._served(domain, each) for each in self.sides))
        names, glue = await self._delegation(domain)
        text = name_text(domain)
        item = Item(text, names, addresses=glue)
        unknown = ["who is led to: no server of its parent answered"] if names is None else []
        serials, refused, silent = dict[str, int](), list[str](), list[str]()
        for side, said in zip(self.sides, await served, strict=True):
            if said is None:
                silent.append(side.name)
            elif said:
                serials[side.name] = parse_soa(said).serial
                self.soa[text, side.name] = said
            else:
                refused.append(side.name)
        unknown += [f"whether {each} serves it: no answer" for each in silent]
        return replace(item, served=serials, refused=tuple(refused), silent=tuple(silent), unknown=tuple(unknown))

    async def _delegation(self, domain: Name) -> tuple[tuple[str, ...] | None, Mapping[str, tuple[str, ...]]]:
        """NS names, and the addresses that come with them; None for the names where they are not known."""
        cut, reply = await self.walker.delegation_of(domain)
        if reply is None or not reply.answered or reply.rcode not in (0, _NXDOMAIN):
            return None, {}
        ns = referral(cut.zone, reply) or (reply.find(NS) if reply.authoritative else None)
        if ns is None or ns.name != domain:
            return (), {}
        glue: dict[str, list[str]] = {}
        for each in reply.additional:
            if each.rtype in (A, AAAA):
                glue.setdefault(name_text(each.name), []).extend(map(address_text, each.rdatas))
        return tuple(sorted(map(name_text, targets(ns)))), {name: tuple(some) for name, some in glue.items()}

    async def _served(self, domain: Name, side: Side) -> bytes | None:
        """SOA data, empty where the side does not serve it, None where nobody answered."""
        for address in [address for some in side.servers.values() for address in some]:
            if not self.asker.patience.reach.has(address):
                continue
            reply = await self.asker.ask(address, domain, SOA)
            if not reply.answered:
                continue
            soa = reply.find(SOA)
            return soa.rdatas[0] if soa is not None and reply.authoritative else b""
        return None
