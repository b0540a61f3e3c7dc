"""Gathering by name: where nothing is handed out whole, names are asked for one by one."""

import asyncio
from collections.abc import Iterable, Mapping

from legatum.core.records.name import Name, ancestors, below, is_under, parse_name
from legatum.core.records.rrtype import CNAME, NS, SOA, A
from legatum.core.records.usual import APEX_TYPES, FOUND_TYPES, USUAL
from legatum.core.zones.sample import Sample
from legatum.net.asking.asker import Asker
from legatum.net.asking.reply import Reply

_NXDOMAIN = 3
_AT_ONCE = 24
_NOBODY = "nobody-made-this-name"
_MOST_NAMES = 20_000


class Questioner:
    """Asks one server for names of one zone: those given, the usual ones, and those that the answers lead to."""

    def __init__(self, asker: Asker, server: str, origin: Name) -> None:
        self.found = Sample(origin)
        self._asker, self._server, self._origin = asker, server, origin
        self._line = asyncio.Semaphore(_AT_ONCE)
        self._known: dict[tuple[Name, int], Reply] = {}

    async def ask(self, extra: Iterable[Name]) -> Sample:
        """Everything that can be found so. ``extra``: names that the user adds."""
        origin, found = self._origin, self.found
        await self._wildcard(origin)
        await asyncio.gather(*(self._data(origin, rtype) for rtype in (SOA, *APEX_TYPES)))
        wanted = {below_text(label, origin): types for types, labels in USUAL.values() for label in labels.split()}
        wanted |= dict.fromkeys(extra, FOUND_TYPES)
        await asyncio.gather(*(self._name(name, types, found.by_list) for name, types in wanted.items()))
        while fresh := found.led_to() - found.names:
            if len(found.names) > _MOST_NAMES:
                break
            await asyncio.gather(*(self._name(name, FOUND_TYPES, found.by_records) for name in fresh))
        found.by_records |= found.led_to() & {name for name, _ in found.rrsets}
        return found

    async def ask_types(self, types: Mapping[Name, Iterable[int]]) -> None:
        """For names that are known to hold these types, what they hold."""
        wanted = ((name, rtype) for name, each in types.items() for rtype in each)
        await asyncio.gather(*(self._data(*key) for key in wanted if key not in self.found.rrsets))

    async def _wildcard(self, under: Name) -> None:
        """Whether every name under this one exists, and what it then holds."""
        if (await self._question(below(_NOBODY, under), A)).rcode != 0:
            return
        self.found.wildcards.add(under)
        star = below("*", under)
        for rtype in FOUND_TYPES:
            reply = await self._question(below(_NOBODY, under), rtype)
            for each in reply.answer:
                if each.name == reply.name:
                    self.found.rrsets[star, each.rtype] = each._replace(name=star)

    async def _name(self, name: Name, types: Iterable[int], led_by: set[Name]) -> None:
        if name in self.found.names:
            return
        self.found.names.add(name)
        first, *others = types
        reply = await self._question(name, first)
        if reply.rcode == _NXDOMAIN and reply.find(CNAME) is None:
            return  # with an alias, the code is about the name that it leads to (RFC 6604 s3)
        known = False
        for rtype in (first, *others, *(each for each in FOUND_TYPES if each not in (first, *others))):
            known |= await self._data(name, rtype)
            if (name, CNAME) in self.found.rrsets:
                break
        if known:
            led_by.add(name)
        elif not any(each in self.found.wildcards for each in ancestors(name)[1:]):
            await self._wildcard(name)
            if name not in self.found.wildcards:
                self.found.empty.add(name)

    async def _data(self, name: Name, rtype: int) -> bool:
        """Whether the name holds data of that type, or an alias or a cut, of its own."""
        reply = await self._question(name, rtype)
        found = reply.find(rtype) or reply.find(CNAME)
        if found is not None and not self.found.made_up(found):
            self.found.rrsets[name, found.rtype] = found
            return True
        cut = next((each for each in reply.authority if each.rtype == NS and each.name != self._origin), None)
        if found is None and cut is not None and not reply.authoritative and is_under(cut.name, self._origin):
            self.found.rrsets[cut.name, NS] = cut
            for each in reply.additional:
                if each.rtype in (1, 28) and is_under(each.name, cut.name):
                    self.found.rrsets[each.name, each.rtype] = each
            return True
        return False

    async def _question(self, name: Name, rtype: int) -> Reply:
        known = self._known.get((name, rtype))
        if known is not None:
            return known
        async with self._line:
            reply = await self._asker.ask(self._server, name, rtype)
        if not reply.answered:
            self.found.unanswered += 1
        self._known[name, rtype] = reply
        return reply


def below_text(labels: str, origin: Name) -> Name:
    """The name of several labels under the origin."""
    return parse_name(labels, origin)
