"""Messages over TCP, with TLS (RFC 7858) or without: two octets of length before each (RFC 1035 s4.2.2, RFC 7766)."""

import asyncio
import ssl
from collections import deque
from types import TracebackType
from typing import NamedTuple

from legatum.core.records.name import Name
from legatum.core.records.rrtype import AXFR, IXFR
from legatum.net.asking.reply import Content, Trouble, content_of
from legatum.net.asking.route import Endpoint
from legatum.wire.malformed import Malformed

_ENOUGH = 1 << 20  # octets read ahead of who wants them; then the server has to wait
_IDLE = 1.0  # seconds that a connection is kept for the next question: far less than any server keeps it
_MOST = 8  # to one server: their places for connections are few, and other people want them too


class Stream(asyncio.Protocol):
    """One connection. Use as ``async with Stream(endpoint, timeout)``; connecting and every read may take ``timeout``
    seconds."""

    def __init__(
        self, server: Endpoint, timeout: float, tls: ssl.SSLContext | None = None, host: str | None = None
    ) -> None:
        """``tls``: with TLS, and then ``host`` is the name that the certificate must carry."""
        self._server = server
        self._timeout = timeout
        self._tls = tls
        self._host = host
        self._transport: asyncio.Transport
        self._loop = asyncio.get_running_loop()
        self._buffer = bytearray()
        self._at = 0
        self._paused = self._ended = False
        self._error: Exception | None = None
        self._waiter: asyncio.Future[None] | None = None
        self.since = 0.0

    async def open(self) -> None:
        """Raises ``OSError``, ``ssl.SSLError`` or ``TimeoutError``."""
        async with asyncio.timeout(self._timeout):
            source = (self._server.source, 0) if self._server.source else None
            await self._loop.create_connection(
                lambda: self,
                self._server.host,
                self._server.port,
                ssl=self._tls,
                server_hostname=self._host,
                local_addr=source,
            )

    async def __aenter__(self) -> "Stream":
        await self.open()
        return self

    async def __aexit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def close(self) -> None:
        self._transport.close()

    @property
    def idle(self) -> bool:
        """Still open, and nothing has come that nobody waits for."""
        return not self._ended and self._at == len(self._buffer)

    def send(self, wire: bytes) -> None:
        self._transport.write(len(wire).to_bytes(2) + wire)

    async def receive(self, until: float | None = None) -> bytes:
        """The next message. ``until``: by the loop's clock, whole by then. Raises ``TimeoutError``, ``ConnectionError``
        or ``asyncio.IncompleteReadError``."""
        buffer = self._buffer
        while True:
            at, held = self._at, len(buffer)
            if held - at >= 2:
                end = at + 2 + (buffer[at] << 8 | buffer[at + 1])
                if held >= end:
                    message = bytes(memoryview(buffer)[at + 2 : end])
                    self._taken(end)
                    return message
            if self._error is not None:
                raise self._error
            if self._ended:
                raise asyncio.IncompleteReadError(bytes(buffer[at:]), None)
            await self._more(until)

    def _taken(self, end: int) -> None:
        if end == len(self._buffer):
            self._buffer.clear()
            end = 0
        elif end > _ENOUGH:
            del self._buffer[:end]
            end = 0
        self._at = end
        if self._paused and len(self._buffer) - end < _ENOUGH:
            self._paused = False
            self._transport.resume_reading()

    async def _more(self, until: float | None) -> None:
        now = self._loop.time()
        if until is not None and now >= until:
            raise TimeoutError
        latest = now + self._timeout
        waiter = self._waiter = self._loop.create_future()
        late = self._loop.call_at(latest if until is None else min(latest, until), _too_late, waiter)
        try:
            await waiter
        finally:
            late.cancel()
            self._waiter = None

    def _wake(self) -> None:
        if self._waiter is not None and not self._waiter.done():
            self._waiter.set_result(None)

    def connection_made(self, transport: asyncio.BaseTransport) -> None:
        assert isinstance(transport, asyncio.Transport)
        self._transport = transport

    def data_received(self, data: bytes) -> None:
        self._buffer += data
        if len(self._buffer) - self._at > _ENOUGH and not self._paused:
            self._paused = True
            self._transport.pause_reading()
        self._wake()

    def connection_lost(self, error: Exception | None) -> None:
        self._ended, self._error = True, error
        self._wake()


def _too_late(waiter: "asyncio.Future[None]") -> None:
    if not waiter.done():
        waiter.set_exception(TimeoutError())


class Heard(NamedTuple):
    """What came of one question over a connection: the answer's bytes and what they say, or why there is none."""

    wire: bytes = b""
    content: Content | None = None
    trouble: Trouble | None = None


async def converse(endpoint: Endpoint, name: Name, rtype: int, query: bytes, ident: int, timeout: float) -> Heard:
    """One question over a connection of its own. Never longer than twice ``timeout``; nothing is raised."""
    stream = Stream(endpoint, timeout)
    try:
        async with asyncio.timeout(timeout * 2), stream:
            return await _one_question(stream, name, rtype, query, ident)
    except Exception as error:
        return Heard(trouble=_trouble(error))


async def _one_question(
    stream: Stream, name: Name, rtype: int, query: bytes, ident: int, until: float | None = None
) -> Heard:
    head = ident.to_bytes(2)
    stream.send(head + query[2:])
    wire = await stream.receive(until)
    content = content_of(wire, name)
    asked = content.message.questions
    good = wire[:2] == head and (not asked or (asked[0].name, asked[0].rtype) == (name, rtype))
    return Heard(wire, content) if good else Heard(trouble=Trouble.MALFORMED)


def _trouble(error: Exception) -> Trouble:
    match error:
        case TimeoutError():
            return Trouble.SILENT
        case Malformed():
            return Trouble.MALFORMED
        case ConnectionRefusedError():
            return Trouble.CLOSED
        case asyncio.IncompleteReadError() | ConnectionError():
            return Trouble.CUT_OFF
        case ssl.SSLError():
            return Trouble.UNTRUSTED
        case OSError():
            return Trouble.UNREACHABLE
    raise error


class _Far(NamedTuple):
    """Whom a connection goes to, and the name on its certificate."""

    endpoint: Endpoint
    host: str | None


class Connections:
    """Connections to servers, each kept for a moment for the next question (RFC 7766 s6.2.1), one question at a time on
    each.

    A server may end an idle connection whenever it likes, so trouble on a kept one says nothing: the question is asked
    again over a new one, and what happens there counts. Those with TLS are told apart by the name that the certificate
    must carry.
    """

    def __init__(self) -> None:
        self._kept: dict[_Far, deque[Stream]] = {}
        self._turns: dict[_Far, asyncio.Semaphore] = {}
        self._loop = asyncio.get_running_loop()
        self._sweeper: asyncio.TimerHandle | None = None

    async def converse(
        self, endpoint: Endpoint, name: Name, rtype: int, query: bytes, ident: int, timeout: float,
        tls: ssl.SSLContext | None = None, host: str | None = None,
    ) -> Heard:  # fmt: skip
        """One question. Nothing is raised. Never longer than four times ``timeout``, after waiting for a free
        connection."""
        far = _Far(endpoint, host)
        turn = self._turns.get(far)
        if turn is None:
            turn = self._turns[far] = asyncio.Semaphore(_MOST)
        async with turn:
            kept = self._take(far)
            if kept is not None:
                heard = await self._over(kept, far, name, rtype, query, ident, timeout)
                if heard.trouble is None:
                    return heard
            stream = Stream(endpoint, timeout, tls, host)
            try:
                await stream.open()
            except Exception as error:
                return Heard(trouble=_trouble(error))
            return await self._over(stream, far, name, rtype, query, ident, timeout)

    async def _over(
        self, stream: Stream, far: "_Far", name: Name, rtype: int, query: bytes, ident: int, timeout: float
    ) -> Heard:
        keep = False
        try:
            heard = await _one_question(stream, name, rtype, query, ident, self._loop.time() + timeout * 2)
            # After a zone's first records more would follow.
            keep = heard.content is not None and (rtype not in (AXFR, IXFR) or not heard.content.message.answer)
            return heard
        except Exception as error:
            return Heard(trouble=_trouble(error))
        finally:
            if keep and stream.idle:
                self._keep(far, stream)
            else:
                stream.close()

    def _take(self, far: "_Far") -> Stream | None:
        kept = self._kept.get(far)
        while kept:
            stream = kept.pop()
            if stream.idle:
                return stream
            stream.close()
        return None

    def _keep(self, far: "_Far", stream: Stream) -> None:
        kept = self._kept.setdefault(far, deque())
        stream.since = self._loop.time()
        kept.append(stream)
        if self._sweeper is None:
            self._sweeper = self._loop.call_later(_IDLE, self._sweep)

    def _sweep(self) -> None:
        oldest = self._loop.time() - _IDLE
        for far, kept in list(self._kept.items()):
            while kept and kept[0].since <= oldest:
                kept.popleft().close()
            if not kept:
                del self._kept[far]
        self._sweeper = self._loop.call_later(_IDLE, self._sweep) if self._kept else None

    def close(self) -> None:
        if self._sweeper is not None:
            self._sweeper.cancel()
        for kept in self._kept.values():
            for stream in kept:
                stream.close()
        self._kept.clear()
