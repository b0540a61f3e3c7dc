"""Messages over TCP: two octets of length before each (RFC 1035 s4.2.2, RFC 7766)."""

import asyncio
import struct
from types import TracebackType

from legatum.net.route import Endpoint


class Stream:
    """One connection. Use as ``async with Stream(endpoint, timeout)``. Every read and write has the time-out of ``timeout`` seconds."""

    def __init__(self, server: Endpoint, timeout: float) -> None:
        self._server = server
        self._timeout = timeout
        self._reader: asyncio.StreamReader
        self._writer: asyncio.StreamWriter

    async def __aenter__(self) -> "Stream":
        async with asyncio.timeout(self._timeout):
            self._reader, self._writer = await asyncio.open_connection(self._server.host, self._server.port)
        return self

    async def __aexit__(self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None) -> None:
        self._writer.close()

    async def send(self, wire: bytes) -> None:
        self._writer.write(struct.pack("!H", len(wire)) + wire)
        async with asyncio.timeout(self._timeout):
            await self._writer.drain()

    async def receive(self) -> bytes:
        """The next message. Raises ``TimeoutError``, ``ConnectionError`` or ``asyncio.IncompleteReadError``."""
        async with asyncio.timeout(self._timeout):
            (length,) = struct.unpack("!H", await self._reader.readexactly(2))
            return await self._reader.readexactly(length)
