"""One look at a domain: parent, own servers, hosts, contents, resolvers, registration - into an observation."""

import asyncio
from collections import Counter
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace

from legatum.core.observation.hosts import first_of_each, glue_addresses, places_of
from legatum.core.observation.observation import (
    HostView,
    Observation,
    ParentView,
    Plan,
    RegistrationView,
    ResolverView,
    ServerView,
)
from legatum.core.records.name import Name
from legatum.core.records.rrset import targets
from legatum.core.records.rrtype import A
from legatum.net.asking.reply import Reply
from legatum.net.asking.walk import Cut, Walker
from legatum.net.keeping.evidence import Evidence
from legatum.net.side_by_side import together
from legatum.services.provider import server_names
from legatum.work.look.asking.depth import MOST_HOSTS, Depth
from legatum.work.look.asking.questions import Questions
from legatum.work.look.asking.wanted import Wanted
from legatum.work.look.contents import Contents, look_at_contents
from legatum.work.look.host import HostLook
from legatum.work.look.parent import look_at_parents
from legatum.work.look.registration import look_at_rdap
from legatum.work.look.resolver import look_at_resolvers
from legatum.work.look.server import ServerLook
from legatum.work.run_context import RunContext


@dataclass
class Look:
    """``cut``: the zone that delegates the domain, found before, and ``known``: what one of its servers said then;
    ``met``: name servers that other domains have too, for looks that share them."""

    context: RunContext
    domain: Name
    evidence: Evidence
    walker: Walker
    cut: Cut
    known: Reply | None
    depth: Depth
    met: dict[Name, HostView] = field(default_factory=dict)
    unasked: set[str] = field(default_factory=set, init=False)

    async def observation(self, wanted: Wanted) -> Observation:
        self.questions = Questions(self.context.asker, self.evidence, self.depth)
        everywhere = self.depth.everywhere
        if self.known is not None:
            self.evidence.number(self.known)
        parents = await look_at_parents(
            self.questions, self.evidence, self.cut, self.domain, self.known, everywhere or self.depth.keys
        )
        secure = any(view.ds for view in parents)
        self.server_look = ServerLook(
            self.questions, self.evidence, self.domain, self.cut.zone, secure, everywhere, self.depth.keys,
            self.context.asker.patience.reach.tcp,
        )  # fmt: skip
        self.host_look = HostLook(self.questions, self.walker, self.domain, parents, everywhere, self.met)
        around = (
            asyncio.gather(self._resolvers(wanted), self._rdap(wanted), self._former(wanted)) if everywhere else None
        )
        hosts, servers = await self._own(parents)
        addresses = [view.address for view in servers if view.serves]
        resolver = next(iter(self.context.resolvers().values()), None) if wanted.resolvers else None
        contents = await look_at_contents(
            self.questions, self.context.asker, self.walker, resolver, self.domain, addresses, everywhere
        )  # fmt: skip
        resolvers, (rdap, why), former = await around if around else ((), (None, ""), ())
        if everywhere and servers and not addresses and not wanted.former:
            former = await self._providers_that_serve(hosts)
        return Observation(
            domain=self.domain,
            at=self.context.clock.now(),
            parent_zone=self.cut.zone,
            parents=parents,
            servers=_with_contents(servers, contents),
            hosts=hosts,
            contents=contents.found,
            denial=contents.denial,
            resolvers=resolvers,
            questions=self.evidence.count,
            rdap=rdap,
            rdap_why=why,
            former=former,
            home=tuple(self.context.settings.network.home),
            plan=Plan(wanted.change_at, wanted.transfer),
            dropped=self.questions.dropped,
            left_out=(*self.context.asker.patience.reach.left_out, *self._left_out(len(servers))),
            over_tcp=self.context.asker.patience.reach.tcp,
            families=self.context.asker.patience.reach.families,
        )

    def _left_out(self, asked: int) -> list[str]:
        if not self.unasked:
            return []
        return [
            f"{len(self.unasked)} of the {asked + len(self.unasked)} addresses of its name servers: more "
            f"than {self.depth.servers}"
        ]

    async def _own(self, parents: tuple[ParentView, ...]) -> tuple[dict[Name, HostView], tuple[ServerView, ...]]:
        """The name servers and their names. Servers known from glue are asked while their names are still being looked
        up."""
        delegated = sorted({name for view in parents for name in targets(view.ns)})[:MOST_HOSTS]
        glue = {name: addresses for name, addresses in glue_addresses(parents).items() if name in delegated}
        asked: dict[str, ServerView] = {}
        context = self.host_look.known(delegated)
        if len(context) < len(delegated):
            context, _ = await asyncio.gather(
                self.host_look.outside(delegated), self._servers(places_of({}, glue), asked)
            )
        await self._servers(places_of(context, {}), asked)
        hosts = context | await self.host_look.inside(delegated, _serving(asked))
        own = sorted({name for view in asked.values() if view.serves for name in targets(view.ns)} - set(delegated))[
            :MOST_HOSTS
        ]
        hosts |= await self.host_look.outside(own)
        hosts |= await self.host_look.inside(own, _serving(asked))
        await self._servers(places_of(hosts, {}), asked)
        return hosts, tuple(sorted(asked.values(), key=lambda view: (view.server, ":" in view.address, view.address)))

    async def _servers(self, places: Mapping[str, Name], asked: dict[str, ServerView]) -> None:
        if not places:
            return
        fresh = {address: places[address] for address in self.context.asker.askable(places) if address not in asked}
        room = max(0, self.depth.servers - len(asked))
        order = _one_of_each_first(fresh)
        self.unasked |= set(order[room:])
        fresh = {address: fresh[address] for address in order[:room]}
        if not fresh:
            return
        with_ns = fresh if self.depth.everywhere else first_of_each(fresh)
        views = await together(
            self.server_look.look(server, address, address in with_ns) for address, server in fresh.items()
        )
        asked.update(zip(fresh, views, strict=True))
        silent = {address: server for address, server in fresh.items() if asked[address].silent}
        if silent:
            asked.update(await self.server_look.look_again(silent, with_ns))

    async def _former(self, wanted: Wanted) -> tuple[ServerView, ...]:
        places = {
            address: name
            for address, name in wanted.former.items()
            if address in self.context.asker.askable(wanted.former)
        }
        views = await together(self.server_look.look(server, address) for address, server in places.items())
        replies = await together(self.questions.ask(address, self.domain, A) for address in places)
        return tuple(replace(view, apex_address=reply.find(A)) for view, reply in zip(views, replies, strict=True))

    async def _providers_that_serve(self, delegated: Mapping[Name, HostView]) -> tuple[ServerView, ...]:
        """Where no server of the delegation serves the domain: those of the house's other providers that do."""
        names = {name for section in self.context.providers.values() for name in server_names(section.servers)}
        hosts = await together(self.walker.addresses(name) for name in sorted(names - set(delegated))[:MOST_HOSTS])
        places = dict(zip(sorted(names - set(delegated)), hosts, strict=False))
        found = await self._former(Wanted(former={address: name for name, each in places.items() for address in each}))
        return tuple(view for view in found if view.serves)

    async def _resolvers(self, wanted: Wanted) -> tuple[ResolverView, ...]:
        if not wanted.resolvers:
            return ()
        return await look_at_resolvers(
            self.context.asker, self.evidence, self.context.resolvers(), self.domain, self.cut.zone
        )

    async def _rdap(self, wanted: Wanted) -> tuple[RegistrationView | None, str]:
        return await look_at_rdap(self.context, self.evidence, self.domain) if wanted.rdap else (None, "")


def _one_of_each_first(places: Mapping[str, Name]) -> list[str]:
    """The first address of every server, then the second one of each, and so on."""
    seen = Counter[Name]()
    turns = list[tuple[int, str]]()
    for address, server in places.items():
        turns.append((seen[server], address))
        seen[server] += 1
    return [address for _, address in sorted(turns, key=lambda each: each[0])]


def _serving(asked: Mapping[str, ServerView]) -> list[str]:
    return [address for address, view in asked.items() if view.serves]


def _with_contents(servers: Iterable[ServerView], contents: Contents) -> tuple[ServerView, ...]:
    return tuple(
        replace(view, apex_address=apex) if (apex := contents.apex.get(view.address)) else view for view in servers
    )
