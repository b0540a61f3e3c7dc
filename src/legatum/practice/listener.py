"""One address of the world: a UDP and a TCP socket on the same loopback port."""

import asyncio
import socket
import ssl
import struct
from collections.abc import Awaitable, Callable

from legatum.net.asking.route import Endpoint
from legatum.wire.malformed import Malformed
from legatum.wire.message import decode

Handler = Callable[[bytes, bool], Awaitable[list[bytes]]]
"""Bytes of a request and whether it came over TCP → the messages to answer with; none to stay silent."""

_LOOPBACK = "127.0.0.1"


class Listener:
    """Receives for one server address. ``endpoint`` is where it stands, ``over_tls`` where it does over TLS, if it
    does."""

    def __init__(self, handler: Handler, tls: ssl.SSLContext | None = None) -> None:
        self._handler = handler
        self._tls = tls
        self._secure: asyncio.Server | None = None
        self._tasks: set[asyncio.Task[None]] = set()
        self.endpoint: Endpoint

    async def open(self) -> None:
        udp = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        udp.setblocking(False)
        udp.bind((_LOOPBACK, 0))
        port = udp.getsockname()[1]
        try:
            self._tcp = await asyncio.start_server(self._serve_stream, _LOOPBACK, port)
        except OSError:  # somebody else has this port over TCP: another one
            udp.close()
            await self.open()
            return
        self._transport, _ = await asyncio.get_running_loop().create_datagram_endpoint(
            lambda: _Datagrams(self), sock=udp
        )
        self.endpoint = Endpoint(_LOOPBACK, port)
        if self._tls is not None:
            self._secure = await asyncio.start_server(self._serve_stream, _LOOPBACK, 0, ssl=self._tls)
            self.over_tls = Endpoint(_LOOPBACK, self._secure.sockets[0].getsockname()[1])

    def close(self) -> None:
        self._tcp.close()
        if self._secure is not None:
            self._secure.close()
        self._transport.close()
        for task in self._tasks:
            task.cancel()

    def datagram(self, wire: bytes, sender: tuple[str, int]) -> None:
        task = asyncio.ensure_future(self._answer_datagram(wire, sender))
        self._tasks.add(task)
        task.add_done_callback(self._tasks.discard)

    async def _answer_datagram(self, wire: bytes, sender: tuple[str, int]) -> None:
        for answer in (await self._handler(wire, False))[:1]:
            self._transport.sendto(answer, sender)

    async def _serve_stream(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        try:
            while True:
                (length,) = struct.unpack("!H", await reader.readexactly(2))
                for answer in await self._handler(await reader.readexactly(length), True):
                    writer.write(struct.pack("!H", len(answer)) + answer)
                await writer.drain()
        except (asyncio.IncompleteReadError, ConnectionError, asyncio.CancelledError):
            pass  # the other side is done, or the world ends
        finally:
            writer.close()


class _Datagrams(asyncio.DatagramProtocol):
    def __init__(self, listener: Listener) -> None:
        self._listener = listener

    def datagram_received(self, data: bytes, addr: tuple[str, int]) -> None:
        self._listener.datagram(data, addr)


def payload_limit(wire: bytes, tcp: bool) -> int:
    """How long an answer may be: 512 octets over UDP, or what the question's EDNS part offers (RFC 6891 s6.2.3)."""
    if tcp:
        return 65535
    try:
        edns = decode(wire).edns
    except Malformed:
        return 512
    return max(512, min(edns.size, 1232)) if edns else 512
