"""Connections over TCP that are kept: used again, given up where the server ends them, never more than a few to one
server."""

import asyncio
import struct
from collections.abc import Awaitable, Callable

import pytest

from legatum.core.records.name import parse_name
from legatum.core.records.rrset import RRset
from legatum.core.records.rrtype import AXFR, NS, SOA
from legatum.core.records.soa import SoaFields
from legatum.net.asking.asker import Asker, Patience
from legatum.net.asking.route import Endpoint, Route
from legatum.net.clock import SystemClock
from legatum.wire.message import AA, QR, Message, decode, encode, records

NAME = parse_name("kilnandclay.example.")
START = RRset(NAME, SOA, 60, (SoaFields(NAME, NAME, 1, 1, 2, 3, 4).rdata(),))


class Server:
    """Counts connections and questions. ``most``: questions that it answers on one connection; ``pause``: seconds
    before each answer."""

    def __init__(self, most: int = 1000, pause: float = 0.0, hang: bool = False) -> None:
        self.most, self.pause, self.hang = most, pause, hang
        self.connections = self.questions = self.open = self.peak = 0

    async def session(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        self.connections += 1
        self.open += 1
        self.peak = max(self.peak, self.open)
        try:
            for _ in range(self.most):
                (length,) = struct.unpack("!H", await reader.readexactly(2))
                asked = decode(await reader.readexactly(length))
                self.questions += 1
                await asyncio.sleep(self.pause)
                rtype = asked.questions[0].rtype
                answer = encode(
                    Message(asked.id, QR | AA, 0, asked.questions, records([START]) if rtype in (SOA, AXFR) else ())
                )
                writer.write(struct.pack("!H", len(answer)) + answer)
                await writer.drain()
            if self.hang:
                await reader.read(1)
                await asyncio.sleep(5)
        except (asyncio.IncompleteReadError, ConnectionError):
            pass
        finally:
            self.open -= 1
            writer.close()


def run(server: Server, work: Callable[[Asker], Awaitable[None]]) -> None:
    async def whole() -> None:
        listening = await asyncio.start_server(server.session, "127.0.0.1", 0)
        end = Endpoint("127.0.0.1", listening.sockets[0].getsockname()[1])
        asker = Asker(Route({"192.0.2.1": end}), SystemClock(), Patience(0.3, 1))
        try:
            await work(asker)
        finally:
            asker.close()
            listening.close()

    asyncio.run(whole())


def test_the_next_question_goes_over_the_same_connection() -> None:
    server = Server()

    async def work(asker: Asker) -> None:
        for rtype in (SOA, NS, SOA):
            assert (await asker.ask("192.0.2.1", NAME, rtype, tcp=True)).answered

    run(server, work)
    assert (server.connections, server.questions) == (1, 3)


@pytest.mark.parametrize("hang", [False, True])
def test_a_server_that_ends_idle_connections_is_asked_over_a_new_one(hang: bool) -> None:
    """Whether it closes after an answer or just never answers again there: what happens on a new connection counts."""
    server = Server(most=1, hang=hang)

    async def work(asker: Asker) -> None:
        for _ in range(3):
            assert (await asker.ask("192.0.2.1", NAME, SOA, tcp=True)).answered
            await asyncio.sleep(0.02)

    run(server, work)
    assert server.connections >= 3 and server.questions == 3


def test_a_connection_is_not_used_again_after_a_zone_began_to_come() -> None:
    server = Server()

    async def work(asker: Asker) -> None:
        assert (await asker.ask("192.0.2.1", NAME, AXFR, tcp=True)).find(SOA) is not None
        assert (await asker.ask("192.0.2.1", NAME, NS, tcp=True)).answered

    run(server, work)
    assert server.connections == 2


def test_one_server_gets_a_few_connections_at_once_however_many_questions_there_are() -> None:
    server = Server(pause=0.01)

    async def work(asker: Asker) -> None:
        replies = await asyncio.gather(*(asker.ask("192.0.2.1", NAME, SOA, tcp=True) for _ in range(60)))
        assert all(reply.answered for reply in replies)

    run(server, work)
    assert server.peak <= 8 and server.connections <= 8 and server.questions == 60


def test_idle_connections_are_closed_after_a_moment() -> None:
    server = Server()

    async def work(asker: Asker) -> None:
        await asker.ask("192.0.2.1", NAME, SOA, tcp=True)
        assert server.open == 1
        for _ in range(40):
            await asyncio.sleep(0.1)
            if server.open == 0:
                return
        raise AssertionError("still open after four seconds")

    run(server, work)
