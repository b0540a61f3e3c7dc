"""The questions of one look: counted for each server, so that none is asked more than the depth allows."""

import asyncio
from collections import Counter
from collections.abc import Iterable
from typing import Any

from legatum.core.records.name import Name
from legatum.net.asking.asker import Asker
from legatum.net.asking.reply import Reply
from legatum.net.keeping.evidence import Evidence
from legatum.net.side_by_side import together
from legatum.work.look.asking.depth import Depth

_LATER = 1.5  # seconds until a server that was silent is asked again
_SIDE_BY_SIDE = 6  # packets then


class Questions:
    """``evidence`` holds what was asked already. ``dropped``: questions left out for want of room.

    Where a recording is asked there is room for everything: what was not asked then has no answer.
    """

    def __init__(self, asker: Asker, evidence: Evidence, depth: Depth) -> None:
        self._asker = asker
        self._evidence = evidence
        self._depth = depth
        self._under_way: Counter[str] = Counter()
        self._open = 0
        self._recorded = asker.whom(Name(b"\0"), 0) is not None
        self.dropped = 0

    def askable(self, addresses: Iterable[str]) -> tuple[str, ...]:
        """Those that can be asked from here."""
        return self._asker.askable(addresses)

    def room(self, address: str) -> int:
        """How many more questions the server may be asked."""
        if self._recorded:
            return self._depth.each
        here = self._depth.each - self._evidence.asked[address] - self._under_way[address]
        if self._depth.total is None:
            return here
        return min(here, self._depth.total - self._evidence.count - self._open)

    def pick(self, addresses: Iterable[str]) -> str | None:
        """The address that has most room left, the first of several; None, and one question dropped, when none has
        any."""
        best = max(addresses, key=self.room, default=None)
        if best is None or self.room(best) <= 0:
            self.dropped += 1
            return None
        return best

    async def ask(
        self,
        address: str,
        name: Name,
        rtype: int,
        *,
        tcp: bool = False,
        recursion: bool = False,
        edns: bool = True,
        tries: int = 0,
    ) -> Reply:
        """With signatures where EDNS is used. Whether there is room is the caller's business."""
        self._under_way[address] += 1
        self._open += 1
        try:
            reply = await self._asker.ask(
                address, name, rtype, tcp=tcp, recursion=recursion, dnssec=edns, edns=edns, tries=tries
            )  # fmt: skip
        finally:
            self._under_way[address] -= 1
            self._open -= 1
        self._evidence.number(reply)
        return reply

    async def ask_again(self, addresses: Iterable[str], name: Name, rtype: int) -> dict[str, Reply]:
        """Those who were silent are asked once more: later, with several packets side by side, and over TCP too, a few
        of them at a time until none of these answers. Who answers then, and how; a recording is not asked again."""
        silent = [
            address for address in addresses if self._asker.pace is None or not self._asker.pace.is_given_up(address)
        ]
        if not silent or self._recorded:
            return {}
        await asyncio.sleep(_LATER)
        heard = dict[str, Reply]()
        for begin in range(0, len(silent), self._depth.again):
            few = silent[begin : begin + self._depth.again]
            found = await together(self._asked_again(address, name, rtype) for address in few)
            answered = {reply.server: reply for reply in found if reply is not None}
            if not answered:
                break
            heard |= answered
        return heard

    async def _asked_again(self, address: str, name: Name, rtype: int) -> Reply | None:
        ways: list[dict[str, Any]] = [*[{"tries": 1}] * _SIDE_BY_SIDE, {"tcp": True}]
        replies = await together(self.ask(address, name, rtype, **way) for way in ways)
        return next((reply for reply in replies if reply.answered), None)

    async def ask_one_of(self, addresses: Iterable[str], name: Name, rtype: int) -> Reply | None:
        """Of the address with most room; None when there is no room anywhere."""
        asked = self._asker.whom(name, rtype)
        address = self.pick(addresses) if asked is None else next((each for each in addresses if each in asked), None)
        # No pause between picking and asking: who is picked next sees this question under way.
        return await self.ask(address, name, rtype) if address is not None else None
