"""The one asker: every question to a DNS server goes through here.

UDP with retry, TCP when an answer is truncated or asked for, a limit of questions in flight for each server, and a
:class:`~legatum.net.asking.reply.Reply` for everything that happened - an answer, silence, a refused connection.
Nothing is raised for what a server does or does not do.
"""

import asyncio
import random
from collections import deque
from collections.abc import Callable, Coroutine, Iterable, Sequence
from typing import TYPE_CHECKING, NamedTuple

from legatum.core.records.name import Name
from legatum.net.asking.reach import Reach
from legatum.net.asking.reply import Content, Reply, Transport, Trouble, content_of
from legatum.net.asking.route import Endpoint, Route, Unreachable
from legatum.net.asking.udp import UdpPorts
from legatum.net.chance import Chance
from legatum.net.clock import Clock
from legatum.wire.malformed import Malformed
from legatum.wire.message import RD, encode_question

if TYPE_CHECKING:
    from legatum.net.asking.pace import Pace
    from legatum.net.asking.tcp import Connections

DNS_PORT = 53
# rounds, and packets in each, before an answering server counts as silent to one question
_INSISTENCE, _SIDE_BY_SIDE = 3, 2


class TransferBounds(NamedTuple):
    """Of one transfer: ``seconds``, ``octets`` and ``records`` at the most."""

    seconds: float = 1800.0
    octets: int = 2 << 30
    records: int = 20_000_000


class Patience(NamedTuple):
    """``timeout``: of the last try over UDP, and of each step over TCP, in seconds; ``tries``; questions at once to one
    server; ``reach``: what can be asked from here at all; ``transfer``: how long and how large a transfer may be."""

    timeout: float = 2.0
    tries: int = 2
    in_flight: int = 32
    reach: Reach = Reach()
    transfer: TransferBounds = TransferBounds()

    def wait(self, attempt: int) -> float:
        """How long to wait in one try, counted from 1: each longer than the one before, as lost packets are commoner
        than slow ones."""
        return self.timeout * min(attempt, self.tries) / self.tries

    @property
    def longest(self) -> float:
        """How late an answer may come after the first packet, in seconds."""
        return sum(self.wait(attempt) for attempt in range(1, self.tries + 1))


class Asker:
    """Asks. Make one inside a running event loop; ``close`` it after. ``heard`` gets every reply: evidence, counts."""

    def __init__(
        self, route: Route, clock: Clock, patience: Patience | None = None, generator: random.Random | None = None
    ) -> None:
        self.route = route
        self.clock = clock
        self.patience = patience or Patience()
        self.random = generator or Chance()
        self.heard: list[Callable[[Reply], None]] = []
        self.asked = 0
        self.pace: Pace | None = None
        self._ports = UdpPorts(self.random)
        self._connections: Connections | None = None
        self._turns: dict[str, _Turns] = {}
        self._places: dict[str, asyncio.Semaphore] = {}
        self._heard_of: set[str] = set()  # servers that have answered something
        self._loop = asyncio.get_running_loop()

    @property
    def dropped(self) -> int:
        """Datagrams that answered no question asked."""
        return self._ports.dropped

    def close(self) -> None:
        self._ports.close()
        if self._connections is not None:
            self._connections.close()

    def connections(self) -> "Connections":
        """Those over TCP and TLS, kept for the next question."""
        from legatum.net.asking.tcp import Connections

        if self._connections is None:
            self._connections = Connections()
        return self._connections

    def places(self, server: str, most: int) -> asyncio.Semaphore:
        """For what a server does for few at a time: transfers, connections with TLS. ``most``: of us at once."""
        return self._places.setdefault(server, asyncio.Semaphore(most))

    def askable(self, addresses: Iterable[str]) -> tuple[str, ...]:
        """Those that can be asked from here: without IPv6, the others."""
        return tuple(filter(self.patience.reach.has, addresses))

    async def ask(
        self,
        server: str,
        name: Name,
        rtype: int,
        *,
        tcp: bool = False,
        recursion: bool = False,
        dnssec: bool = False,
        edns: bool = True,
        tries: int = 0,
        network: str = "",
    ) -> Reply:
        """The server's answer to one question. ``server`` is an address; over UDP a truncated answer is fetched again
        over TCP.

        ``dnssec``: with the signatures; ``edns``: False for a question as of 1987; ``tries``: so many over UDP and no
        more; else as many as patience has, and more where the server has answered other questions; ``network``: on
        whose behalf (RFC 7871).
        """
        query = encode_question(
            0,
            name,
            rtype,
            flags=RD if recursion else 0,
            size=self.patience.reach.size if edns else 0,
            dnssec=dnssec,
            network=network,
        )
        asking = _Asking(server, name, rtype, query, self._loop.time())
        if not self.patience.reach.has(server):
            return self._note(asking, Transport.UDP, 0, Trouble.UNREACHABLE)
        pace = self.pace
        if pace is not None:
            if pace.gives_up(server):
                return self._note(asking, Transport.UDP, 0, Trouble.GIVEN_UP)
            await pace.turn(server)
        turn = self._turns.get(server) or self._turns.setdefault(server, _Turns(self.patience.in_flight))
        if turn.free:
            turn.take_now()
        else:
            await turn.take()
        asking.started = self._loop.time()
        try:
            endpoint = self.route.endpoint(server, DNS_PORT)
            if not tcp:
                reply = await self._over_udp(endpoint, asking, tries or self.patience.tries)
                if reply.trouble == Trouble.SILENT and not tries and server in self._heard_of:
                    reply = await self._insist(endpoint, asking, reply)
                self.note(reply)
                if not (reply.answered and reply.message.truncated and reply.transport == Transport.UDP):
                    return reply
                asking.cut = True
            reply = await self._over_tcp(endpoint, asking)
            if reply.trouble == Trouble.SILENT and server in self._heard_of:
                reply = (
                    await self._first_of(
                        [self._over_tcp(endpoint, asking, alone=True) for _ in range(_SIDE_BY_SIDE + 1)]
                    )
                    or reply
                )
            self.note(reply)
            return reply
        except Unreachable:
            return self._note(asking, Transport.UDP, 0, Trouble.UNREACHABLE)
        finally:
            turn.give_back()

    async def _insist(self, endpoint: Endpoint, asking: "_Asking", silence: Reply) -> Reply:
        """A server that answers other questions has hardly been silent to this one: a packet was lost, or this is what
        it drops. It is asked again, two packets at a time, and at last over TCP, where the system sees to what is
        lost."""
        for round in range(1, _INSISTENCE + 1):
            tries = self.patience.tries + round * _SIDE_BY_SIDE
            found = await self._first_of([self._over_udp(endpoint, asking, 1, tries) for _ in range(_SIDE_BY_SIDE)])
            if found is not None:
                return found
        over_tcp = await self._over_tcp(endpoint, asking)
        if not over_tcp.answered:
            return silence
        over_tcp.tries = self.patience.tries + _INSISTENCE * _SIDE_BY_SIDE + 1
        return over_tcp

    async def _first_of(self, asked: "list[Coroutine[None, None, Reply]]") -> Reply | None:
        """The first answer of several tries that go on side by side."""
        waiting = {asyncio.ensure_future(each) for each in asked}
        try:
            while waiting:
                done, waiting = await asyncio.wait(waiting, return_when=asyncio.FIRST_COMPLETED)
                answered = next((task.result() for task in done if task.result().answered), None)
                if answered is not None:
                    return answered
            return None
        finally:
            for task in waiting:
                task.cancel()

    async def ask_all(self, servers: Sequence[str], name: Name, rtype: int) -> list[Reply]:
        """The same question to several servers at once; replies in the order of ``servers``."""
        return list(await asyncio.gather(*(self.ask(server, name, rtype) for server in servers)))

    async def _over_udp(self, endpoint: Endpoint, asking: "_Asking", tries: int, counted: int = 0) -> Reply:
        """``counted``: how many tries the reply is said to have taken, if others went before."""
        trouble = Trouble.SILENT
        for attempt in range(1, tries + 1):
            self.asked += 1
            started = self._loop.time()
            try:
                wire = await self._ports.exchange(
                    endpoint, asking.name, asking.rtype, asking.query, self.patience.wait(attempt)
                )
                # What it took is the server's time: packets that were lost before are not.
                return self._reply(
                    asking, Transport.UDP, counted or attempt, None, wire, content_of(wire, asking.name), started
                )
            except TimeoutError:
                trouble = Trouble.SILENT
            except Malformed:
                trouble = Trouble.MALFORMED
            except OSError:
                return self._reply(asking, Transport.UDP, counted or attempt, Trouble.UNREACHABLE)
        return self._reply(asking, Transport.UDP, counted or tries, trouble)

    async def _over_tcp(self, endpoint: Endpoint, asking: "_Asking", alone: bool = False) -> Reply:
        """``alone``: over a connection of its own."""
        from legatum.net.asking.tcp import converse  # only now: the first question waits for no more than it needs

        self.asked += 1
        started = self._loop.time()
        ident = self.random.getrandbits(16)
        words = (endpoint, asking.name, asking.rtype, asking.query, ident, self.patience.timeout)
        heard = await (converse(*words) if alone else self.connections().converse(*words))
        return self._reply(asking, Transport.TCP, 1, heard.trouble, heard.wire, heard.content, started)

    def _note(self, asking: "_Asking", transport: Transport, tries: int, trouble: Trouble) -> Reply:
        reply = self._reply(asking, transport, tries, trouble)
        self.note(reply)
        return reply

    def _reply(
        self, asking: "_Asking", transport: Transport, tries: int, trouble: Trouble | None, wire: bytes = b"",
        content: Content | None = None, started: float | None = None,
    ) -> Reply:  # fmt: skip
        took, now = self._loop.time() - (asking.started if started is None else started), self.clock.now()
        query = wire[:2] + asking.query[2:] if wire else asking.query
        return Reply(
            asking.server,
            asking.name,
            asking.rtype,
            now,
            took,
            transport,
            tries,
            wire,
            trouble,
            query,
            asking.cut,
            content,
        )

    def kept(self, server: str, name: Name, rtype: int) -> Reply | None:
        """An answer of a resolver over TLS or HTTPS that is there already: only where a recording is asked."""
        return None

    def whom(self, name: Name, rtype: int) -> tuple[str, ...] | None:
        """Where a recording is asked: the servers that were asked this. None where the network is."""
        return None

    def note(self, reply: Reply) -> None:
        """Tells everybody who listens of a reply, those of other ways of asking too."""
        if reply.answered:
            self._heard_of.add(reply.server)
        if self.pace is not None:
            self.pace.heard(reply)
        for listener in self.heard:
            listener(reply)


class _Asking:
    """One question under way."""

    __slots__ = ("cut", "name", "query", "rtype", "server", "started")

    def __init__(self, server: str, name: Name, rtype: int, query: bytes, started: float) -> None:
        self.server = server
        self.name = name
        self.rtype = rtype
        self.query = query
        self.started = started
        self.cut = False


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
