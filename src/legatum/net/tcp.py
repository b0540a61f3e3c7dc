"""Messages over TCP, with TLS (RFC 7858) or without: two octets of length before each (RFC 1035 s4.2.2, RFC 7766)."""

import asyncio
import ssl
import struct
from types import TracebackType

from legatum.core.name import Name
from legatum.net.reply import Trouble
from legatum.net.route import Endpoint
from legatum.wire.malformed import Malformed
from legatum.wire.message import decode


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


async def converse(
    endpoint: Endpoint, name: Name, rtype: int, query: bytes, ident: int, timeout: float,
    tls: ssl.SSLContext | None = None, host: str | None = None,
) -> tuple[bytes, Trouble | None]:  # fmt: skip
    """One question over a connection of its own: the answer's bytes, or why there are none. Never longer than twice ``timeout``."""
    head = struct.pack("!H", ident)
    try:
        async with asyncio.timeout(timeout * 2), Stream(endpoint, timeout, tls, host) as stream:
            await stream.send(head + query[2:])
            wire = await stream.receive()
        return (wire, None) if _matches(wire, head, name, rtype) else (b"", Trouble.MALFORMED)
    except TimeoutError:
        return b"", Trouble.SILENT
    except Malformed:
        return b"", Trouble.MALFORMED
    except ConnectionRefusedError:
        return b"", Trouble.CLOSED
    except (asyncio.IncompleteReadError, ConnectionError):
        return b"", Trouble.CUT_OFF
    except ssl.SSLError:
        return b"", Trouble.UNTRUSTED
    except OSError:
        return b"", Trouble.UNREACHABLE


def _matches(wire: bytes, ident: bytes, name: Name, rtype: int) -> bool:
    if wire[:2] != ident:
        return False
    questions = decode(wire).questions
    return not questions or (questions[0].name, questions[0].rtype) == (name, rtype)
