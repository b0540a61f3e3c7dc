"""Walking the tree from the root to a domain's parent servers and to the addresses of name servers (RFC 1034 s5.3.3).

What is learnt on the way - the servers of a TLD, the addresses of a provider's name servers - is kept for the life of
the walker, so thousands of domains ask for it once. What the parent says is taken from referrals only, what the child
says from authoritative answers only; the two are never mixed.
"""

import asyncio
from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import NamedTuple, TypeVar

from legatum.core.records.address import address_text
from legatum.core.records.name import ROOT, Name, ancestors, is_under, name_text, parent_of
from legatum.core.records.rrset import RRset, targets
from legatum.core.records.rrtype import AAAA, CNAME, NS, A
from legatum.net.asking.asker import Asker
from legatum.net.asking.reply import Reply

_DEEPEST = 12
_NXDOMAIN = 3
_IMPATIENT = 0.4  # seconds after which a server that has not answered is overtaken by the next
_MOST_KEPT = 5000
_MOST_SERVERS = 32  # of one zone: whoever names more is not believed to need them
_CIRCLE = "its name servers depend on each other in a circle"


_K = TypeVar("_K")
_V = TypeVar("_V")


class Cut(NamedTuple):
    """A zone and its servers: addresses for each name server name."""

    zone: Name
    servers: Mapping[Name, tuple[str, ...]]

    @property
    def addresses(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys(address for each in self.servers.values() for address in each))


class Lookup(NamedTuple):
    """The authoritative answer to one question. ``rrset`` is None for no such name, no data, or nobody answering;
    ``why`` says which.

    ``circle``: nobody can be asked, as the name servers to ask depend on each other.
    """

    name: Name
    rtype: int
    rrset: RRset | None
    why: str = ""
    reply: Reply | None = None
    alias: Name | None = None
    circle: bool = False

    @property
    def untold(self) -> bool:
        """It is not known whether there is such a set: nobody answered, or nobody who can tell."""
        told = self.reply is not None and (self.reply.authoritative or self.reply.answer)
        return self.rrset is None and self.alias is None and not told


@dataclass
class Walker:
    """Finds zones, servers and addresses. ``roots``: name → addresses of the root servers; ``unanswered``: name and
    type → why, where nobody who could tell has told."""

    asker: Asker
    roots: Mapping[Name, tuple[str, ...]]
    unanswered: dict[tuple[Name, int], str] = field(default_factory=dict, init=False)
    _cuts: dict[Name, Cut] = field(default_factory=dict)
    _whole: dict[Name, Cut] = field(default_factory=dict)
    _silent: set[str] = field(default_factory=set)
    _often: Counter[str] = field(default_factory=Counter)
    _lookups: "dict[tuple[Name, int], asyncio.Task[Lookup]]" = field(default_factory=dict)
    _circular: set[Name] = field(default_factory=set)
    _first: dict[Name, asyncio.Lock] = field(default_factory=dict)

    async def parent_of(self, domain: Name) -> Cut:
        """The zone that delegates ``domain``, with all its servers: the deepest zone above it that a referral leads
        to."""
        return (await self.delegation_of(domain))[0]

    async def delegation_of(self, domain: Name) -> tuple[Cut, Reply | None]:
        """The zone that delegates ``domain``, and what one of its servers said when asked for the delegation."""
        cut, reply = await self._delegation_of(domain)
        return await self._with_own_servers(cut), reply

    async def _delegation_of(self, domain: Name) -> tuple[Cut, Reply | None]:
        suffix = parent_of(domain) if domain != ROOT else ROOT
        if suffix in self._cuts:
            return await self._closest(domain, frozenset())
        # Of many domains under one suffix the first finds the way, the others wait for it.
        lock = self._first.get(suffix)
        if lock is None:
            _bounded(self._first)[suffix] = lock = asyncio.Lock()
        async with lock:
            return await self._closest(domain, frozenset())

    async def _with_own_servers(self, cut: Cut) -> Cut:
        """With those that the zone names itself beside those that the zone above it hands out: resolvers ask them
        too."""
        if cut.zone == ROOT or not cut.addresses:
            return cut
        if cut.zone not in self._whole:
            reply = await self._ask_any(cut, cut.zone, NS)
            own = reply.find(NS) if reply is not None and reply.authoritative else None
            hidden = [name for name in targets(own)[:_MOST_SERVERS] if name not in cut.servers]
            found = await asyncio.gather(*map(self.addresses, hidden))
            _bounded(self._whole)[cut.zone] = Cut(cut.zone, {**cut.servers, **dict(zip(hidden, found, strict=True))})
        return self._whole[cut.zone]

    def know(self, zone: Name, servers: Mapping[Name, tuple[str, ...]]) -> None:
        """Takes a zone's servers as found elsewhere."""
        found = Cut(zone, servers)
        if found.addresses:
            _bounded(self._cuts)[zone] = found

    async def addresses(self, host: Name, seen: frozenset[Name] = frozenset()) -> tuple[str, ...]:
        """All addresses of a host that can be asked, IPv4 first, from the zone that holds them. Empty when there are
        none."""
        found = await asyncio.gather(*(self.lookup(host, rtype, seen) for rtype in (A, AAAA)))
        return self.asker.askable(address_text(rdata) for each in found if each.rrset for rdata in each.rrset.rdatas)

    async def lookup(self, name: Name, rtype: int, seen: frozenset[Name] = frozenset()) -> Lookup:
        """The authoritative answer for a name, asked once for the life of the walker."""
        if name in seen or len(seen) > _DEEPEST:
            self._circular.add(name)
            return Lookup(name, rtype, None, _CIRCLE, circle=True)
        key = (name, rtype)
        task = self._lookups.get(key)
        if task is None or (not task.done() and seen):
            # A lookup still under way may be waiting for this one: ask again rather than wait in a circle.
            task = asyncio.create_task(self._lookup(name, rtype, seen | {name}))
            _bounded(self._lookups).setdefault(key, task)
        found = await task
        if found.untold:
            _bounded(self.unanswered)[key] = found.why
        if found.reply is None and not found.circle and self._lookups.get(key) is task:
            del self._lookups[key]  # silence is nothing to remember
        return found

    async def _lookup(self, name: Name, rtype: int, seen: frozenset[Name]) -> Lookup:
        cut, _ = await self._closest(name, seen)
        for _ in range(_DEEPEST):
            reply = await self._ask_any(cut, name, rtype)
            if reply is None and not cut.addresses and not self._circular.isdisjoint(cut.servers):
                self._circular.add(name)
                return Lookup(name, rtype, None, _CIRCLE, circle=True)
            if reply is None:
                return Lookup(name, rtype, None, f"no server of {name_text(cut.zone)} answers")
            if reply.authoritative or reply.answer:
                found = reply.find(rtype)
                alias = reply.find(CNAME)
                why = (
                    ""
                    if found
                    else "is an alias"
                    if alias
                    else "no such name"
                    if reply.rcode == _NXDOMAIN
                    else "no data"
                )
                return Lookup(name, rtype, found, why, reply, targets(alias)[0] if alias else None)
            ns = referral(cut.zone, reply)
            if ns is None:
                return Lookup(name, rtype, None, reply.outcome, reply)
            cut = await self._follow(cut, ns, reply, seen)
        return Lookup(name, rtype, None, "delegated too deep")

    async def _closest(self, domain: Name, seen: frozenset[Name]) -> tuple[Cut, Reply | None]:
        """The deepest cut strictly above ``domain``, and what it said; asks its way down from the deepest one known."""
        cut, reply = self._known_above(domain), None
        for _ in range(_DEEPEST):
            reply = await self._ask_any(cut, domain, NS)
            ns = referral(cut.zone, reply) if reply else None
            if reply is None or ns is None or ns.name == domain:
                return await self._leapt_over(cut, domain, seen), reply
            cut = await self._follow(cut, ns, reply, seen)
        return cut, reply

    async def _leapt_over(self, cut: Cut, domain: Name, seen: frozenset[Name]) -> Cut:
        """Servers that serve a zone and a zone below it refer straight from the upper one: look for zones in
        between."""
        between = [each for each in ancestors(domain)[1:] if is_under(each, cut.zone) and each != cut.zone]
        for zone in reversed(between):
            reply = await self._ask_any(cut, zone, NS)
            ns = reply.find(NS) if reply and reply.authoritative else None
            if reply and ns:
                cut = await self._follow(cut, ns, reply, seen)
        return cut

    def _known_above(self, domain: Name) -> Cut:
        known = next((self._cuts[zone] for zone in ancestors(domain)[1:] if zone in self._cuts), None)
        return known or Cut(ROOT, {name: self.asker.askable(each) for name, each in self.roots.items()})

    async def _ask_any(self, cut: Cut, name: Name, rtype: int) -> Reply | None:
        """The first useful reply. Servers asked least come first; one that lets wait for long is overtaken by the
        next."""
        addresses = list(cut.addresses)
        self.asker.random.shuffle(addresses)
        # Who was silent once comes last: one dead server must not cost its time again and again.
        addresses.sort(key=lambda each: (each in self._silent, self._often[each]))
        for tries, tcp in ((1, False), (0, False), (0, True)):
            reply = await self._race(addresses, name, rtype, tries, tcp)
            if reply is not None:
                return reply
            addresses = [address for address in addresses if address in self._silent]
        return None

    async def _race(self, addresses: list[str], name: Name, rtype: int, tries: int, tcp: bool) -> Reply | None:
        waiting: dict[asyncio.Task[Reply], str] = {}
        line = iter(addresses)
        try:
            while True:
                address = next(line, None)
                if address is not None:
                    self._often[address] += 1
                    waiting[
                        asyncio.create_task(self.asker.ask(address, name, rtype, tries=tries, tcp=tcp, dnssec=True))
                    ] = address
                if not waiting:
                    return None
                patience = _IMPATIENT if address is not None else None
                done, _ = await asyncio.wait(waiting, timeout=patience, return_when=asyncio.FIRST_COMPLETED)
                for task in done:
                    del waiting[task]
                    reply = task.result()
                    if reply.answered and reply.rcode in (0, _NXDOMAIN):
                        return reply
                    if not reply.answered:
                        self._silent.add(reply.server)
        finally:
            for task, overtaken in waiting.items():
                task.cancel()
                self._silent.add(overtaken)

    async def _follow(self, cut: Cut, ns: RRset, reply: Reply, seen: frozenset[Name]) -> Cut:
        """The cut that a referral leads to, with the addresses of its servers: from glue, else asked for."""
        glue: dict[Name, list[str]] = {}
        for each in reply.additional:
            if each.rtype in (A, AAAA) and is_under(each.name, cut.zone):
                glue.setdefault(each.name, []).extend(address_text(rdata) for rdata in each.rdatas)
        servers = {}
        for target in targets(ns)[:_MOST_SERVERS]:
            servers[target] = self.asker.askable(glue[target]) if target in glue else await self.addresses(target, seen)
        found = Cut(ns.name, servers)
        if found.addresses:
            _bounded(self._cuts)[found.zone] = found
        return found


def _bounded(kept: "dict[_K, _V]") -> "dict[_K, _V]":
    """What is kept does not grow with the number of domains: the oldest goes."""
    while len(kept) >= _MOST_KEPT:
        del kept[next(iter(kept))]
    return kept


def referral(zone: Name, reply: Reply) -> RRset | None:
    """The NS set of a referral from a server of ``zone``; None for anything that does not lead downwards towards the
    name asked for."""
    if reply.authoritative:
        return None
    found = next((each for each in reply.authority if each.rtype == NS), None)
    downwards = (
        found is not None and is_under(reply.name, found.name) and is_under(found.name, zone) and found.name != zone
    )
    return found if downwards else None
