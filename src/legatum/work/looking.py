"""Asking every server about a domain, and putting what they say side by side."""

import asyncio
from collections.abc import Iterable
from dataclasses import dataclass

from legatum.core.address import address_text
from legatum.core.name import Name, below, is_under
from legatum.core.picture import HostView, ParentView, Picture, ResolverView, ServerView
from legatum.core.rrset import RRset, targets
from legatum.core.rrtype import AAAA, CNAME, MX, NS, SOA, A
from legatum.core.soa import negative_ttl
from legatum.net.evidence import Evidence
from legatum.net.reply import Reply
from legatum.net.walk import Cut, Walker
from legatum.work.outside import Outside

_NXDOMAIN = 3


@dataclass
class Look:
    """One look at a domain. ``cut``: the zone that delegates it, found before; ``began``: questions asked before that."""

    outside: Outside
    domain: Name
    evidence: Evidence
    walker: Walker
    cut: Cut
    began: int

    async def picture(self, resolvers: bool) -> Picture:
        asker, walker, cut = self.outside.asker, self.walker, self.cut
        parents = await self._parents(cut)
        glue = {each.name: each for view in parents for each in view.glue}
        delegated = {name for view in parents for name in targets(view.ns)}
        hosts = await self._hosts(walker, delegated)
        servers = await self._servers(hosts, glue.values())
        own = {name for view in servers for name in targets(view.ns)} - delegated
        hosts |= await self._hosts(walker, own)
        return Picture(
            domain=self.domain,
            at=self.outside.clock.now(),
            parent_zone=cut.zone,
            parents=parents,
            servers=servers,
            hosts=hosts,
            contents=await self._contents([view.address for view in servers if view.serves]),
            resolvers=await self._resolvers() if resolvers else (),
            questions=asker.asked - self.began,
        )

    async def _parents(self, cut: Cut) -> tuple[ParentView, ...]:
        """One question to each address of each server of the parent zone."""
        places = [(server, address) for server, addresses in cut.servers.items() for address in addresses]
        replies = await asyncio.gather(*(self.outside.asker.ask(address, self.domain, NS) for _, address in places))
        return tuple(self._parent(server, reply) for (server, _), reply in zip(places, replies, strict=True))

    def _parent(self, server: Name, reply: Reply) -> ParentView:
        section = reply.answer if reply.authoritative else reply.authority
        ns = next((each for each in section if each.rtype == NS and each.name == self.domain), None)
        glue = tuple(each for each in reply.additional if each.rtype in (A, AAAA) and each.name in targets(ns))
        denied = reply.rcode == _NXDOMAIN
        outcome = "delegates" if ns else reply.outcome
        return ParentView(server, reply.server, outcome, reply.answered, ns, glue, denied, self.evidence.number(reply))

    async def _hosts(self, walker: Walker, names: Iterable[Name]) -> dict[Name, HostView]:
        wanted = sorted(names)
        views = await asyncio.gather(*(_host(walker, name) for name in wanted))
        return dict(zip(wanted, views, strict=True))

    async def _servers(self, hosts: dict[Name, HostView], glue: Iterable[RRset]) -> tuple[ServerView, ...]:
        places: dict[str, Name] = {}
        for each in [each for host in hosts.values() for each in host.addresses] + list(glue):
            for rdata in each.rdatas:
                places.setdefault(address_text(rdata), each.name)
        asked = self.outside.asker.askable(places)
        return tuple(await asyncio.gather(*(self._server(places[address], address) for address in asked)))

    async def _server(self, server: Name, address: str) -> ServerView:
        """SOA over UDP and TCP and the NS set; a server that stays silent is not asked for more."""
        asker = self.outside.asker
        soa, tcp = await asyncio.gather(asker.ask(address, self.domain, SOA), asker.ask(address, self.domain, SOA, tcp=True))
        replies = [soa, tcp]
        ns_set = None
        if soa.answered:
            replies.append(ns := await asker.ask(address, self.domain, NS))
            ns_set = ns.find(NS) if ns.authoritative else None
        numbers = tuple(self.evidence.number(reply) for reply in replies)
        return ServerView(
            server,
            address,
            soa.outcome,
            soa.rcode,
            soa.authoritative,
            soa.find(SOA),
            ns_set,
            tcp.outcome,
            tcp.answered,
            soa.took,
            numbers,
        )

    async def _contents(self, addresses: list[str]) -> dict[tuple[Name, int], RRset | None]:
        """What visitors come for, the questions spread over the servers so that none is asked much."""
        if not addresses:
            return {}
        www = below("www", self.domain)
        contents: dict[tuple[Name, int], RRset | None] = {}
        questions = [(self.domain, A), (self.domain, AAAA), (self.domain, MX), (www, A), (www, AAAA)]
        turn = 0
        while questions:
            asked = [(addresses[(turn + number) % len(addresses)], *question) for number, question in enumerate(questions)]
            turn += len(questions)
            replies = await asyncio.gather(*(self.outside.asker.ask(*each) for each in asked))
            for reply in replies:
                contents[reply.name, reply.rtype] = reply.find(reply.rtype)
                contents.setdefault((reply.name, CNAME), reply.find(CNAME))
            exchangers = [host for host in targets(contents.get((self.domain, MX))) if is_under(host, self.domain)]
            questions = [(host, A) for host in exchangers[:4] if (host, A) not in contents]
        return contents

    async def _resolvers(self) -> tuple[ResolverView, ...]:
        named = self.outside.settings.resolvers
        return tuple(await asyncio.gather(*(self._resolver(name, address) for name, address in named.items())))

    async def _resolver(self, name: str, address: str) -> ResolverView:
        asker = self.outside.asker
        ns, soa = await asyncio.gather(*(asker.ask(address, self.domain, rtype, recursion=True) for rtype in (NS, SOA)))
        outcome = "answer" if ns.find(NS) else ns.outcome
        return ResolverView(name, address, outcome, ns.find(NS), soa.find(SOA), self.evidence.number(ns))


async def _host(walker: Walker, name: Name) -> HostView:
    lookups = [await walker.lookup(name, rtype) for rtype in (A, AAAA)]
    found = tuple(each.rrset for each in lookups if each.rrset)
    alias = next((each.alias for each in lookups if each.alias), None)
    denial = next((each.reply.denial for each in lookups if each.reply and each.reply.denial), None)
    return HostView(name, found, lookups[0].why, alias, negative_ttl(denial) if denial else None)
