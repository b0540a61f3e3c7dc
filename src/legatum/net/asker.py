"""The one asker: every question to a DNS server goes through here.

UDP with retry, TCP when an answer is truncated or asked for, a limit of questions in flight for each server, and a
:class:`~legatum.net.reply.Reply` for everything that happened - an answer, silence, a refused connection. Nothing is raised for
what a server does or does not do.
"""

import asyncio
import random
import struct
from collections import deque
from collections.abc import Callable, Iterable, Sequence
from typing import NamedTuple

from legatum.core.name import Name
from legatum.net.chance import Chance
from legatum.net.clock import Clock
from legatum.net.reply import Reply, Transport, Trouble
from legatum.net.route import Endpoint, Route, Unreachable
from legatum.net.tcp import Stream
from legatum.net.udp import UdpPorts
from legatum.wire.malformed import Malformed
from legatum.wire.message import RD, Message, decode, encode_question

DNS_PORT = 53


class Patience(NamedTuple):
    """``timeout``: of the last try over UDP, and of each step over TCP, in seconds; ``tries``; questions at once to one server;
    whether IPv6 addresses are asked at all."""

    timeout: float = 2.0
    tries: int = 2
    in_flight: int = 32
    ipv6: bool = True

    def wait(self, attempt: int) -> float:
        """How long to wait in one try, counted from 1: each longer than the one before, as lost packets are commoner than slow ones."""
        return self.timeout * min(attempt, self.tries) / self.tries

    @property
    def longest(self) -> float:
        """How late an answer may come after the first packet, in seconds."""
        return sum(self.wait(attempt) for attempt in range(1, self.tries + 1))


class Asker:
    """Asks. Make one inside a running event loop; ``close`` it after. ``heard`` gets every reply: evidence, counts."""

    def __init__(self, route: Route, clock: Clock, patience: Patience | None = None, generator: random.Random | None = None) -> None:
        self.route = route
        self.clock = clock
        self.patience = patience or Patience()
        self.random = generator or Chance()
        self.heard: list[Callable[[Reply], None]] = []
        self.asked = 0
        self._ports = UdpPorts(self.random)
        self._turns: dict[str, _Turns] = {}
        self._loop = asyncio.get_running_loop()

    @property
    def dropped(self) -> int:
        """Datagrams that answered no question asked."""
        return self._ports.dropped

    def close(self) -> None:
        self._ports.close()

    def askable(self, addresses: Iterable[str]) -> tuple[str, ...]:
        """Those that can be asked from here: without IPv6, the others."""
        return tuple(each for each in addresses if self.patience.ipv6 or ":" not in each)

    async def ask(
        self, server: str, name: Name, rtype: int, *, tcp: bool = False, recursion: bool = False, dnssec: bool = False, tries: int = 0
    ) -> Reply:
        """The server's answer to one question. ``server`` is an address; over UDP a truncated answer is fetched again over TCP.

        ``tries``: over UDP, if not as many as patience has.
        """
        query = encode_question(0, name, rtype, flags=RD if recursion else 0, dnssec=dnssec)
        turn = self._turns.get(server) or self._turns.setdefault(server, _Turns(self.patience.in_flight))
        if turn.free:
            turn.take_now()
        else:
            await turn.take()
        started = self._loop.time()
        try:
            endpoint = self.route.endpoint(server, DNS_PORT)
            if not tcp:
                reply = await self._over_udp(server, endpoint, name, rtype, query, started, tries or self.patience.tries)
                if not (reply.answered and reply.message.truncated):
                    return reply
            return await self._over_tcp(server, endpoint, name, rtype, query, started)
        except Unreachable:
            return self._note(server, name, rtype, started, Transport.UDP, 0, Trouble.UNREACHABLE)
        finally:
            turn.give_back()

    async def ask_all(self, servers: Sequence[str], name: Name, rtype: int, **how: bool) -> list[Reply]:
        """The same question to several servers at once; replies in the order of ``servers``."""
        return list(await asyncio.gather(*(self.ask(server, name, rtype, **how) for server in servers)))

    async def _over_udp(self, server: str, endpoint: Endpoint, name: Name, rtype: int, query: bytes, started: float, tries: int) -> Reply:
        trouble = Trouble.SILENT
        for attempt in range(1, tries + 1):
            self.asked += 1
            try:
                wire = await self._ports.exchange(endpoint, name, rtype, query, self.patience.wait(attempt))
                return self._note(server, name, rtype, started, Transport.UDP, attempt, None, wire, decode(wire, name))
            except TimeoutError:
                trouble = Trouble.SILENT
            except Malformed:
                trouble = Trouble.MALFORMED
            except OSError:
                return self._note(server, name, rtype, started, Transport.UDP, attempt, Trouble.UNREACHABLE)
        return self._note(server, name, rtype, started, Transport.UDP, tries, trouble)

    async def _over_tcp(self, server: str, endpoint: Endpoint, name: Name, rtype: int, query: bytes, started: float) -> Reply:
        self.asked += 1
        wire, trouble = b"", None
        ident = struct.pack("!H", self.random.getrandbits(16))
        try:
            async with asyncio.timeout(self.patience.timeout * 2), Stream(endpoint, self.patience.timeout) as stream:
                await stream.send(ident + query[2:])
                wire = await stream.receive()
            if not _matches(wire, ident, name, rtype):
                trouble = Trouble.MALFORMED
        except TimeoutError:
            trouble = Trouble.SILENT
        except Malformed:
            trouble = Trouble.MALFORMED
        except ConnectionRefusedError:
            trouble = Trouble.CLOSED
        except (asyncio.IncompleteReadError, ConnectionError):
            trouble = Trouble.CUT_OFF
        except OSError:
            trouble = Trouble.UNREACHABLE
        return self._note(server, name, rtype, started, Transport.TCP, 1, trouble, b"" if trouble else wire)

    def _note(
        self, server: str, name: Name, rtype: int, started: float, transport: Transport, tries: int,
        trouble: Trouble | None, wire: bytes = b"", message: Message | None = None,
    ) -> Reply:  # fmt: skip
        reply = Reply(server, name, rtype, self.clock.now(), self._loop.time() - started, transport, tries, wire, trouble, message)
        for listener in self.heard:
            listener(reply)
        return reply


class _Turns:
    """How many more questions one server may be asked at once; who finds none free waits in line."""

    __slots__ = ("_line", "free")

    def __init__(self, count: int) -> None:
        self.free = count
        self._line: deque[asyncio.Future[None]] = deque()

    def take_now(self) -> None:
        self.free -= 1

    async def take(self) -> None:
        turn: asyncio.Future[None] = asyncio.get_running_loop().create_future()
        self._line.append(turn)
        try:
            await turn
        except asyncio.CancelledError:
            if turn.done() and not turn.cancelled():
                self.give_back()
            raise

    def give_back(self) -> None:
        """To the first in line who still waits, else to everybody."""
        while self._line:
            turn = self._line.popleft()
            if not turn.done():
                turn.set_result(None)
                return
        self.free += 1


def _matches(wire: bytes, ident: bytes, name: Name, rtype: int) -> bool:
    if wire[:2] != ident:
        return False
    questions = decode(wire).questions
    return not questions or (questions[0].name, questions[0].rtype) == (name, rtype)
