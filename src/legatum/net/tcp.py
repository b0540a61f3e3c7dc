"""Messages over TCP, with TLS (RFC 7858) or without: two octets of length before each (RFC 1035 s4.2.2, RFC 7766)."""

import asyncio
import ssl
import struct
from types import TracebackType
from typing import NamedTuple

from legatum.core.name import Name
from legatum.net.reply import Trouble
from legatum.net.route import Endpoint
from legatum.wire.malformed import Malformed
from legatum.wire.message import Message, decode


class Stream:
    """One connection. Use as ``async with Stream(endpoint, timeout)``. Every read and write has the time-out of ``timeout`` seconds."""

    def __init__(self, server: Endpoint, timeout: float, tls: ssl.SSLContext | None = None, host: str | None = None) -> None:
        """``tls``: with TLS, and then ``host`` is the name that the certificate must carry."""
        self._server = server
        self._timeout = timeout
        self._tls = tls
        self._host = host
        self._reader: asyncio.StreamReader
        self._writer: asyncio.StreamWriter

    async def __aenter__(self) -> "Stream":
        async with asyncio.timeout(self._timeout):
            self._reader, self._writer = await asyncio.open_connection(
                self._server.host, self._server.port, ssl=self._tls, server_hostname=self._host
            )
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


class Heard(NamedTuple):
    """What came of one question over a connection: the answer's bytes and what they say, or why there is none."""

    wire: bytes = b""
    message: Message | None = None
    trouble: Trouble | None = None


async def converse(
    endpoint: Endpoint, name: Name, rtype: int, query: bytes, ident: int, timeout: float,
    tls: ssl.SSLContext | None = None, host: str | None = None,
) -> Heard:  # fmt: skip
    """One question over a connection of its own. Never longer than twice ``timeout``; nothing is raised."""
    head = struct.pack("!H", ident)
    try:
        async with asyncio.timeout(timeout * 2), Stream(endpoint, timeout, tls, host) as stream:
            await stream.send(head + query[2:])
            wire = await stream.receive()
        message = decode(wire, name)
        asked = message.questions
        good = wire[:2] == head and (not asked or (asked[0].name, asked[0].rtype) == (name, rtype))
        return Heard(wire, message) if good else Heard(trouble=Trouble.MALFORMED)
    except TimeoutError:
        return Heard(trouble=Trouble.SILENT)
    except Malformed:
        return Heard(trouble=Trouble.MALFORMED)
    except ConnectionRefusedError:
        return Heard(trouble=Trouble.CLOSED)
    except (asyncio.IncompleteReadError, ConnectionError):
        return Heard(trouble=Trouble.CUT_OFF)
    except ssl.SSLError:
        return Heard(trouble=Trouble.UNTRUSTED)
    except OSError:
        return Heard(trouble=Trouble.UNREACHABLE)
