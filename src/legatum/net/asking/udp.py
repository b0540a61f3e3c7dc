"""Questions over UDP: sockets on random ports, many questions in flight, replies matched or dropped.

A port holds questions keyed by id and server; a datagram counts only when it comes from the server asked, with the id
and the question asked. Everything else is dropped and counted. Ports are drawn at random for each question and replaced
after a number of uses, so that neither id nor port can be guessed from the last one (RFC 5452 s9).
"""

import asyncio
import random
import socket
import struct
from typing import NamedTuple

from legatum.core.records.name import Name
from legatum.net.asking.route import Endpoint

_PORT_BITS = 4  # sixteen ports of each family
_USES = 400
_SWEEP = 0.02
_RECEIVE_BUFFER = 4 << 20
_PAIR = struct.Struct("!HH")


class _Waiting(NamedTuple):
    """A question under way: the bytes of its question section, until when it waits (by the loop's clock), and who
    waits."""

    question: bytes
    deadline: float
    future: "asyncio.Future[bytes]"


class _Port:
    """One socket, how many questions it has been used for, and those under way, by id and server."""

    __slots__ = ("socket", "uses", "waiting")

    def __init__(self, opened: socket.socket) -> None:
        self.socket = opened
        self.uses = 0
        self.waiting: dict[tuple[int, tuple[str, int]], _Waiting] = {}


class UdpPorts:
    """A pool of ports of both address families. ``dropped`` counts datagrams that nobody had asked for.

    Time-outs are seen to by one sweep for all questions, some fifty times a second: a timer for each would cost more
    than sending it.
    """

    def __init__(self, generator: random.Random) -> None:
        self._random = generator
        self._pools: dict[tuple[int, str], list[_Port]] = {}  # by family and source
        self._busy: set[_Port] = set()
        self._loop = asyncio.get_running_loop()
        self._sweeper: asyncio.TimerHandle | None = None
        self.dropped = 0

    async def exchange(self, server: Endpoint, name: Name, rtype: int, query: bytes, timeout: float) -> bytes:
        """Sends ``query`` (its first two octets are replaced by a random id) and returns the matching reply.

        Raises ``TimeoutError``, or ``OSError`` where the machine cannot send there.
        """
        port = self._pick((socket.AF_INET6 if server.is_ipv6 else socket.AF_INET, server.source))
        place = (server.host, server.port)
        key = (self._random.getrandbits(16), place)
        while key in port.waiting:
            key = (self._random.getrandbits(16), place)
        future: asyncio.Future[bytes] = self._loop.create_future()
        port.waiting[key] = _Waiting(name + _PAIR.pack(rtype, 1), self._loop.time() + timeout, future)
        self._busy.add(port)
        if self._sweeper is None:
            self._sweeper = self._loop.call_later(_SWEEP, self._sweep)
        try:
            port.socket.sendto(key[0].to_bytes(2) + query[2:], place)
            return await future
        finally:
            del port.waiting[key]
            if not port.waiting:
                self._busy.discard(port)
                if port.uses >= _USES:
                    self._retire(port)

    def _sweep(self) -> None:
        """Ends the questions that have waited long enough. What lies in the sockets is read first: where this process
        itself was held up, that is not the servers' silence."""
        for port in self._busy:
            self._drain(port)
        now = self._loop.time()
        for port in self._busy:
            for waiting in port.waiting.values():
                if waiting.deadline <= now and not waiting.future.done():
                    waiting.future.set_exception(TimeoutError())
        self._sweeper = self._loop.call_later(_SWEEP, self._sweep) if self._busy else None

    def close(self) -> None:
        if self._sweeper is not None:
            self._sweeper.cancel()
        for pool in self._pools.values():
            for port in list(pool):
                self._retire(port)
            pool.clear()

    def _pick(self, kind: tuple[int, str]) -> _Port:
        """Raises ``OSError`` for a source that this machine does not have."""
        pool = self._pools.get(kind)
        if pool is None:
            pool = self._pools[kind] = []
        slot = self._random.getrandbits(_PORT_BITS)
        if slot >= len(pool):
            pool.append(self._open(*kind))
            slot = len(pool) - 1
        elif pool[slot].uses >= _USES:
            spent = pool[slot]
            pool[slot] = self._open(*kind)
            if not spent.waiting:
                self._retire(spent)
        port = pool[slot]
        port.uses += 1
        return port

    def _open(self, family: int, source: str) -> _Port:
        opened = socket.socket(family, socket.SOCK_DGRAM)
        opened.setblocking(False)
        opened.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, _RECEIVE_BUFFER)
        try:
            opened.bind((source or ("::" if family == socket.AF_INET6 else "0.0.0.0"), 0))
        except OSError:
            opened.close()
            raise
        port = _Port(opened)
        self._loop.add_reader(opened.fileno(), self._drain, port)
        return port

    def _retire(self, port: _Port) -> None:
        if port.socket.fileno() >= 0:
            self._loop.remove_reader(port.socket.fileno())
            port.socket.close()

    def _drain(self, port: _Port) -> None:
        receive, waiting = port.socket.recvfrom, port.waiting
        while True:
            try:
                datagram, place = receive(65535)
            except (BlockingIOError, InterruptedError):
                return
            except OSError:
                continue  # an ICMP error for an earlier datagram: the time-out tells
            if len(datagram) < 12:
                self.dropped += 1
                continue
            entry = waiting.get((datagram[0] << 8 | datagram[1], place[:2]))
            if entry is None or entry.future.done() or not _answers(datagram, entry.question):
                self.dropped += 1
                continue
            entry.future.set_result(datagram)


def _answers(datagram: bytes, question: bytes) -> bool:
    """A response to this question. Without any question only an error can count: format error, not implemented,
    refused."""
    if not datagram[2] & 0x80:
        return False
    if datagram[4:6] == b"\0\1":
        asked = datagram[12 : 12 + len(question)]
        return asked == question or asked.lower() == question.lower()
    return datagram[4:6] == b"\0\0" and datagram[3] & 15 in (1, 2, 4, 5)
