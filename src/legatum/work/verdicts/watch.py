"""Following a change: asking every server and resolver again and again until all of them have it."""

import asyncio
from collections.abc import AsyncIterator, Awaitable, Callable, Collection, Iterable, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, field, replace

from legatum.core.agreement.progress import ChangeProgress, Look, State, Told, WatchedChange, told
from legatum.core.agreement.variety import Sort, Variety
from legatum.core.memory.copies import HeldCopy
from legatum.core.memory.given import OWN_SERVERS, GivenSet, seen_of
from legatum.core.memory.given import Look as Seeing
from legatum.core.moves.place import PARENT
from legatum.core.records.name import Name, name_text
from legatum.core.records.presentation import rdata_texts
from legatum.core.records.rrset import RRset, targets
from legatum.core.records.rrtype import NS
from legatum.core.running.fault import Fault, OutsideFault
from legatum.net.asking.reply import Reply
from legatum.net.asking.resolver import ask_resolver
from legatum.net.asking.walk import referral
from legatum.work.look.variety import look_at_variety
from legatum.work.memory import held_copies, our_servers
from legatum.work.run_context import RunContext


def held_of(context: RunContext, domain: Name, change: WatchedChange) -> tuple[HeldCopy, ...]:
    """What is remembered of it with other data, and somebody may hold."""
    now, caution = context.clock.now(), context.caution
    held = [
        each
        for each in held_copies(context, domain)
        if each.key == (change.name, change.rtype) and each.until(caution) > now
    ]
    return tuple(each for each in held if each.rrset is None or each.rrset.rdatas != change.wanted)


@dataclass
class Watch:
    """``servers``: names of servers to ask beside those that the parent hands out, such as the new side before a
    switch; ``elsewhere``: what is seen from other networks at the same time."""

    context: RunContext
    domain: Name
    progress: ChangeProgress
    servers: tuple[Name, ...] = ()
    elsewhere: Callable[[], Awaitable[Sequence[Told]]] | None = None
    _parents: dict[str, Name] = field(default_factory=dict)
    _children: dict[str, Name] = field(default_factory=dict)
    _ours: dict[Name, str] = field(default_factory=dict)
    _noted: set[GivenSet] = field(default_factory=set)
    _steady: set[tuple[str, tuple[bytes, ...]]] = field(default_factory=set)

    async def looks(self, poll: float, patience: float) -> AsyncIterator[tuple[Look, tuple[Told, ...]]]:
        """Every look, with who changed since the one before. Ends when everybody asked has the change and the last copy
        anywhere has run out, or when ``patience`` seconds have passed since it should have.

        Raises :class:`OutsideFault` when nobody of the parent zone answers.
        """
        clock = self.context.clock
        await self._find()
        begun = clock.now()
        while True:
            look = await self._look()
            yield look, self.progress.add(look)
            over = self.progress.over_at or begun + self.progress.old_ttl
            if (look.complete and look.at >= over) or look.at > over + patience:
                return
            await clock.until(clock.now() + self.progress.next_look(poll))

    async def _find(self) -> None:
        """Who is asked: the servers of the parent zone, those they hand out, and those named."""
        walker = self.context.walker()
        cut, known = await walker.delegation_of(self.domain)
        if known is None:
            raise OutsideFault(
                f"no server of {name_text(cut.zone)} answers",
                "is the network up, and are the roots in the settings right?",
            )
        self._zone = cut.zone
        self._parents = {address: server for server, addresses in cut.servers.items() for address in addresses}
        replies = await self.context.asker.ask_all(list(self._parents), self.domain, NS)
        names = {name for reply in replies for name in targets(_delegation(cut.zone, reply))} | set(self.servers)
        if self.progress.change.rtype == NS and self.progress.change.name == self.domain:
            names |= {Name(rdata) for rdata in self.progress.change.wanted}
        ordered = sorted(names)
        ours = our_servers(self.context)
        self._ours = ours if any(name in ours for name in names) else {}
        for name, addresses in zip(
            ordered, await asyncio.gather(*(walker.addresses(name) for name in ordered)), strict=True
        ):
            for address in addresses:
                self._children.setdefault(address, name)

    async def _look(self) -> Look:
        change, asker = self.progress.change, self.context.asker
        parents = list(self._parents) if change.delegation else []
        resolvers = self.context.resolvers()
        above, own, copies = await asyncio.gather(
            asker.ask_all(parents, self.domain, NS),
            asker.ask_all(list(self._children), change.name, change.rtype),
            asyncio.gather(*(ask_resolver(asker, place, change.name, change.rtype) for place in resolvers.values())),
        )
        found = [
            *(
                self._told("parent", _who(self._parents, reply), reply, _delegation(self._zone, reply))
                for reply in above
            ),
            *(self._told("child", _who(self._children, reply), reply, _own(reply)) for reply in own),
            *(
                self._told("resolver", f"{name} ({resolvers[name].address})", reply, reply.find(change.rtype))
                for name, reply in zip(resolvers, copies, strict=True)
            ),
        ]
        self._note(above, own)
        told = await self._varied(found, own, copies)
        return Look(self.context.clock.now(), (*told, *(await self.elsewhere() if self.elsewhere is not None else ())))

    def _note(self, above: Sequence[Reply], own: Sequence[Reply]) -> None:
        """What servers give otherwise than a moment ago, of a domain of the house."""
        if not self._ours and not self.progress.held:
            return
        seen = dict.fromkeys(each for reply in above for each in seen_of(PARENT, [_delegation(self._zone, reply)]))
        for reply in own:
            seen |= dict.fromkeys(seen_of(self._ours.get(self._children[reply.server], OWN_SERVERS), [_own(reply)]))
        if set(seen) != self._noted:
            self._noted = set(seen)
            known = frozenset((each.place, each.name, each.rtype) for each in seen)
            with suppress(Fault):  # a journal that cannot be written does not end the looking
                self.context.journal.remember(Seeing(self.domain, self.context.clock.now(), tuple(seen), known))

    async def once(self) -> tuple[Told, ...]:
        """A single look: who gives what."""
        await self._find()
        return (await self._look()).told

    async def _varied(self, found: Sequence[Told], own: Sequence[Reply], copies: Sequence[Reply]) -> tuple[Told, ...]:
        """A server that gives what is wanted to some, or from time to time, has it; so have resolvers that got a part
        of it there."""
        change = self.progress.change
        if change.delegation or all(each.state == State.NEW for each in found):
            return tuple(found)
        wanted = {(change.name, change.rtype, rdata) for rdata in change.wanted}
        varied: dict[str, Variety] = {}
        for reply in own:
            rrset = _own(reply)
            if rrset is not None and rrset.rdatas != change.wanted and (reply.server, rrset.rdatas) not in self._steady:
                seen = await look_at_variety(self.context, [reply.server], change.name, change.rtype)
                if seen.sort == Sort.STEADY:
                    self._steady.add((reply.server, rrset.rdatas))
                elif wanted <= seen.of(reply.server):
                    varied[reply.server] = seen
        parts = {
            reply.server
            for reply in copies
            if varied and (given := reply.find(change.rtype)) and set(given.rdatas) < set(change.wanted)
        }
        return tuple(self._seen_to_have(each, varied, parts) for each in found)

    def _seen_to_have(self, each: Told, varied: Mapping[str, Variety], parts: Collection[str]) -> Told:
        address = each.who.rpartition("(")[2].rstrip(")")
        if each.state == State.NEW or each.party == "parent":
            return each
        if address in varied:
            return replace(each, state=State.NEW, said=f"{each.said}; {varied[address].text}")
        return (
            replace(each, state=State.NEW, said=f"{each.said}, a part of it")
            if each.party == "resolver" and address in parts
            else each
        )

    def _told(self, party: str, who: str, reply: Reply, rrset: RRset | None) -> Told:
        said = ", ".join(rdata_texts(rrset)) if rrset else reply.outcome
        return told(self.progress.change, party, who, rrset, reply.outcome, said)


def _who(places: dict[str, Name], reply: Reply) -> str:
    return f"{name_text(places[reply.server])} ({reply.server})"


def _delegation(zone: Name, reply: Reply) -> RRset | None:
    return referral(zone, reply) or reply.find(NS)


def _own(reply: Reply) -> RRset | None:
    return reply.find(reply.rtype) if reply.authoritative else None


def delegation_change(domain: Name, ns: Iterable[Name]) -> WatchedChange:
    """The NS set becomes ``ns``, at the parent and in the zone."""
    return WatchedChange(domain, NS, tuple(sorted(ns)), delegation=True)


def record_change(rrset: RRset) -> WatchedChange:
    """One RRset becomes this one."""
    return WatchedChange(rrset.name, rrset.rtype, rrset.rdatas, delegation=False)
