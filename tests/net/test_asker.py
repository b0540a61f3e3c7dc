"""Asking servers that lie, stay silent, trickle or cut off: a reply that says so, in bounded time, and nothing else."""

import asyncio
import struct
from collections.abc import Awaitable, Callable

import pytest

from legatum.core.records.name import parse_name
from legatum.core.records.rrset import RRset
from legatum.net.asking.asker import Asker, Patience
from legatum.net.asking.reply import Reply, Transport, Trouble, content_of
from legatum.net.asking.route import Endpoint, Route, Unreachable
from legatum.net.clock import Clock, SystemClock
from legatum.wire.malformed import Malformed
from legatum.wire.message import AA, QR, TC, Message, Question, decode, encode, encode_question, records
from tests.swift import swiftly

NAME = parse_name("kilnandclay.example.")
ANSWER = RRset(NAME, 1, 60, (b"\xc6\x33\x64\x50",))
Behaviour = Callable[[bytes], list[bytes]]


def honest(query: bytes, **changes: object) -> bytes:
    asked = decode(query)
    message = Message(asked.id, QR | AA, 0, asked.questions, records([ANSWER]))
    return encode(message._replace(**changes))


class Liar(asyncio.DatagramProtocol):
    """Answers over UDP as told."""

    def __init__(self, behaviour: Behaviour) -> None:
        self.behaviour, self.heard = behaviour, 0

    def connection_made(self, transport: asyncio.BaseTransport) -> None:
        self.transport = transport

    def datagram_received(self, data: bytes, addr: tuple[str, int]) -> None:
        self.heard += 1
        for answer in self.behaviour(data):
            self.transport.sendto(answer, addr)  # type: ignore[attr-defined]


async def listen(
    behaviour: Behaviour, stream: Callable[..., Awaitable[None]] | None
) -> tuple[asyncio.DatagramTransport, Liar, asyncio.Server | None]:
    """A UDP socket and, where wanted, a TCP one on the same port: another port when somebody else has that one."""
    loop = asyncio.get_running_loop()
    for _ in range(50):
        transport, liar = await loop.create_datagram_endpoint(lambda: Liar(behaviour), local_addr=("127.0.0.1", 0))
        if stream is None:
            return transport, liar, None
        try:
            return (
                transport,
                liar,
                await asyncio.start_server(stream, "127.0.0.1", transport.get_extra_info("sockname")[1]),
            )
        except OSError:
            transport.close()
    raise AssertionError("no port free over both UDP and TCP")


class Still(Clock):
    """A clock that stands."""

    def now(self) -> float:
        return 1_900_000_000.0

    async def until(self, instant: float) -> None:
        raise AssertionError("nobody waits by this clock")


async def ask(
    behaviour: Behaviour, stream: Callable[..., Awaitable[None]] | None = None, **how: bool
) -> tuple[Reply, Liar, Asker]:
    transport, liar, server = await listen(behaviour, stream)
    port = transport.get_extra_info("sockname")[1]
    asker = Asker(Route({"192.0.2.1": Endpoint("127.0.0.1", port)}), Still(), Patience(0.2, 2))
    try:
        return await asker.ask("192.0.2.1", NAME, 1, **how), liar, asker
    finally:
        asker.close()
        transport.close()
        if server:
            server.close()


def test_an_honest_answer_is_kept_with_its_circumstances() -> None:
    (reply, liar, _), passed = swiftly(ask(lambda query: [honest(query)]))
    assert reply.find(1) == ANSWER and reply.authoritative and reply.outcome == "answer"
    assert (reply.transport, reply.tries, liar.heard) == (Transport.UDP, 1, 1)
    assert (reply.at, reply.took, passed) == (Still().now(), 0, 0)


@pytest.mark.parametrize(
    ("why", "behaviour"),
    [
        ("another id", lambda query: [honest(query, id=decode(query).id ^ 1)]),
        ("another question", lambda query: [honest(query, questions=(Question(parse_name("other.test."), 1),))]),
        ("another type", lambda query: [honest(query, questions=(Question(NAME, 28),))]),
        ("no response", lambda query: [query]),
        ("an answer without its question", lambda query: [honest(query, questions=())]),
        ("a few bytes", lambda _: [b"x", b"\0" * 11]),
        ("nothing", lambda _: []),
    ],
)
def test_what_answers_no_question_is_dropped_and_counted(why: str, behaviour: Behaviour) -> None:
    (reply, liar, asker), passed = swiftly(ask(behaviour))
    assert reply.trouble == Trouble.SILENT and reply.tries == 2 and liar.heard == 2
    assert passed == pytest.approx(Patience(0.2, 2).longest, abs=0.05)
    assert asker.dropped == 2 * len(behaviour(honest(b"\0\1\0\0\0\1\0\0\0\0\0\0" + NAME + b"\0\1\0\1")))


def test_what_two_servers_say_alike_is_read_once_and_what_is_broken_every_time() -> None:
    wire = honest(encode_question(1, NAME, 1))
    assert content_of(b"\0\1" + wire[2:], NAME) is content_of(b"\0\2" + wire[2:], NAME)
    assert content_of(wire[:-1] + b"\7", NAME) is not content_of(wire, NAME)
    for _ in range(2):
        with pytest.raises(Malformed):
            content_of(wire + b"\0", NAME)


def test_the_right_answer_counts_even_after_wrong_ones() -> None:
    reply, _, asker = asyncio.run(ask(lambda query: [honest(query, id=decode(query).id ^ 2), honest(query)]))
    assert reply.find(1) == ANSWER and asker.dropped == 1


def test_a_lost_question_is_asked_again_and_the_wait_is_not_the_servers() -> None:
    silent = iter([True, False])
    (reply, _, _), passed = swiftly(ask(lambda query: [] if next(silent) else [honest(query)]))
    assert reply.find(1) == ANSWER and reply.tries == 2
    assert reply.took == 0 and passed == pytest.approx(Patience(0.2, 2).wait(1), abs=0.05)


def test_malformed_answers_are_told_apart_from_silence() -> None:
    reply, _, _ = asyncio.run(ask(lambda query: [honest(query)[:-2]]))
    assert reply.trouble == Trouble.MALFORMED


async def whole(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
    (length,) = struct.unpack("!H", await reader.readexactly(2))
    answer = honest(await reader.readexactly(length))
    writer.write(struct.pack("!H", len(answer)) + answer)
    await writer.drain()
    writer.close()


async def trickle(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
    writer.write(struct.pack("!H", 400))
    for _ in range(100):
        writer.write(b"x")
        await asyncio.sleep(0.05)


async def cut_off(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
    await reader.readexactly(2)
    writer.write(struct.pack("!H", 400) + b"x" * 20)
    writer.close()


async def lie(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
    (length,) = struct.unpack("!H", await reader.readexactly(2))
    answer = honest(await reader.readexactly(length), questions=(Question(parse_name("other.test."), 1),))
    writer.write(struct.pack("!H", len(answer)) + answer)
    await writer.drain()


def test_truncated_answers_are_fetched_over_tcp() -> None:
    reply, _, _ = asyncio.run(ask(lambda query: [honest(query, flags=QR | TC, answer=())], whole))
    assert reply.transport == Transport.TCP and reply.find(1) == ANSWER


@pytest.mark.parametrize(
    ("stream", "trouble"),
    [(trickle, Trouble.SILENT), (cut_off, Trouble.CUT_OFF), (lie, Trouble.MALFORMED), (None, Trouble.CLOSED)],
)
def test_over_tcp_too_the_time_is_bounded(stream: Callable[..., Awaitable[None]] | None, trouble: Trouble) -> None:
    (reply, _, _), passed = swiftly(ask(lambda _: [], stream, tcp=True))
    assert reply.trouble == trouble and not reply.answered and reply.answer == ()
    assert passed <= 1.0


def test_ipv6_as_well() -> None:
    async def over_ipv6() -> Reply:
        transport, _ = await asyncio.get_running_loop().create_datagram_endpoint(
            lambda: Liar(lambda query: [honest(query)]), local_addr=("::1", 0)
        )
        asker = Asker(Route({"2001:db8::1": Endpoint("::1", transport.get_extra_info("sockname")[1])}), SystemClock())
        try:
            return await asker.ask("2001:db8::1", NAME, 1)
        finally:
            asker.close()
            transport.close()

    assert asyncio.run(over_ipv6()).find(1) == ANSWER


def test_a_closed_map_lets_nothing_out() -> None:
    route = Route({"2001:DB8::1": Endpoint("127.0.0.1", 1)})
    assert route.endpoint("2001:db8:0::1", 53) == Endpoint("127.0.0.1", 1)
    with pytest.raises(Unreachable):
        route.endpoint("192.0.2.1", 53)

    async def outside() -> Reply:
        asker = Asker(route, SystemClock())
        try:
            return await asker.ask("192.0.2.1", NAME, 1)
        finally:
            asker.close()

    assert asyncio.run(outside()).trouble == Trouble.UNREACHABLE
    assert Route().endpoint("192.0.2.1", 53) == Endpoint("192.0.2.1", 53)


def test_many_questions_to_one_server_are_limited_in_flight() -> None:
    async def crowd() -> tuple[int, list[Reply]]:
        loop = asyncio.get_running_loop()
        most, now = 0, 0

        class Slow(Liar):
            def datagram_received(self, data: bytes, addr: tuple[str, int]) -> None:
                nonlocal most, now
                now += 1
                most = max(most, now)
                loop.call_later(0.01, self.answer, data, addr)

            def answer(self, data: bytes, addr: tuple[str, int]) -> None:
                nonlocal now
                now -= 1
                self.transport.sendto(honest(data), addr)  # type: ignore[attr-defined]

        transport, _ = await loop.create_datagram_endpoint(lambda: Slow(lambda _: []), local_addr=("127.0.0.1", 0))
        end = Endpoint("127.0.0.1", transport.get_extra_info("sockname")[1])
        asker = Asker(Route({"192.0.2.1": end}), SystemClock(), Patience(8, 2, in_flight=5))
        replies = await asyncio.gather(*(asker.ask("192.0.2.1", NAME, 1) for _ in range(1000)))
        asker.close()
        transport.close()
        return most, replies

    most, replies = asyncio.run(crowd())
    assert most <= 5 and all(reply.find(1) for reply in replies)
