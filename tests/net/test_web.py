"""Fetching registration data from servers that lie: not JSON, too much, redirects without end, one octet a second, no
trust."""

import asyncio
import ssl
from collections.abc import Awaitable, Callable
from pathlib import Path

import pytest

from legatum.core.records.name import parse_name
from legatum.net.asking.asker import Asker, Patience
from legatum.net.asking.reply import Reply, Transport, Trouble
from legatum.net.asking.resolver import ResolverPlace, ask_resolver
from legatum.net.asking.route import Endpoint, Route
from legatum.net.asking.web import MOST_OCTETS, WebAnswer
from legatum.net.clock import SystemClock
from legatum.net.registry.rdap import Bootstrap, ask_rdap, parse_bootstrap, parse_rdap
from legatum.practice.certificate import make_certificates
from legatum.wire.message import QR, Message, decode, encode
from tests.swift import swiftly

HOST, URL = "rdap.nic.example", "https://rdap.nic.example/domain/kilnandclay.example"
Answering = Callable[[asyncio.StreamWriter, bytes], Awaitable[None]]


@pytest.fixture(scope="module")
def certificates(tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, ssl.SSLContext]:
    return make_certificates(tmp_path_factory.mktemp("certificates"), HOST)


def http(status: int, body: bytes, *heads: str) -> bytes:
    lines = [
        f"HTTP/1.1 {status} X",
        f"content-length: {len(body)}",
        "content-type: application/rdap+json",
        "connection: close",
        *heads,
    ]
    return "\r\n".join(lines).encode() + b"\r\n\r\n" + body


async def serve(tls: ssl.SSLContext, answering: Answering) -> tuple[asyncio.Server, Endpoint]:
    async def one(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        try:
            head = await reader.readuntil(b"\r\n\r\n")
            await answering(writer, head)
            await writer.drain()
        except (ConnectionError, asyncio.IncompleteReadError, asyncio.CancelledError):
            pass
        finally:
            writer.close()

    server = await asyncio.start_server(one, "127.0.0.1", 0, ssl=tls)
    return server, Endpoint("127.0.0.1", server.sockets[0].getsockname()[1])


async def fetching(
    certificates: tuple[Path, ssl.SSLContext], answering: Answering, timeout: float, trusted: bool = True
) -> WebAnswer:
    server, end = await serve(certificates[1], answering)
    async with server:
        return await ask_rdap(Route({HOST: end}), URL, timeout, str(certificates[0]) if trusted else None)


def fetched(
    certificates: tuple[Path, ssl.SSLContext], answering: Answering, timeout: float = 5.0, trusted: bool = True
) -> WebAnswer:
    return asyncio.run(fetching(certificates, answering, timeout, trusted))


def saying(answer: bytes) -> Answering:
    async def answering(writer: asyncio.StreamWriter, _: bytes) -> None:
        writer.write(answer)

    return answering


def refused(answer: WebAnswer) -> str:
    with pytest.raises(ValueError, match=r".") as error:
        parse_rdap(answer)
    return str(error.value)


def test_an_honest_server(certificates: tuple[Path, ssl.SSLContext]) -> None:
    heard: list[bytes] = []

    async def answering(writer: asyncio.StreamWriter, head: bytes) -> None:
        heard.append(head)
        writer.write(http(200, b'{"objectClassName": "domain"}'))

    answer = fetched(certificates, answering)
    assert parse_rdap(answer) == {"objectClassName": "domain"}
    assert b"/domain/kilnandclay.example" in heard[0] and b"host: rdap.nic.example" in heard[0].lower()


@pytest.mark.parametrize(
    ("body", "why"),
    [
        (http(200, b"<html>"), "not JSON"),
        (http(200, b"[" * 100_000), "not JSON"),
        (http(200, b'{"objectClassName": "entity"}'), "no domain object"),
        (http(404, b"{}"), "not registered"),
        (http(503, b""), "HTTP status 503"),
        (b"nonsense\r\n\r\n", "closed"),
        (http(302, b"", "location: http://127.0.0.1/"), "not https"),
        (http(302, b"", f"location: {URL}"), "redirected more than"),
        (http(302, b"", f"location: https://{HOST}:port/"), "redirected to nowhere"),
        (http(302, b"", f"location: https://{HOST}:99999/"), "redirected to nowhere"),
        (http(302, b"", "location: https://[::1/"), "redirected to nowhere"),
        (http(302, b"", "location: https://other.nic.example/"), "not in the address map"),
    ],
)
def test_lying_servers_are_told_with_a_reason(certificates: tuple[Path, ssl.SSLContext], body: bytes, why: str) -> None:
    assert why in refused(fetched(certificates, saying(body)))


def test_a_hundred_megabytes_are_not_read(certificates: tuple[Path, ssl.SSLContext]) -> None:
    sent = 0

    async def answering(writer: asyncio.StreamWriter, _: bytes) -> None:
        nonlocal sent
        writer.write(b"HTTP/1.1 200 X\r\ncontent-length: 100000000\r\n\r\n")
        while sent < 100_000_000:
            writer.write(b" " * 65536)
            await writer.drain()
            sent += 65536

    assert str(MOST_OCTETS) in refused(fetched(certificates, answering, timeout=20))
    assert sent < 20 * MOST_OCTETS


def test_one_octet_at_a_time_ends_in_time(certificates: tuple[Path, ssl.SSLContext]) -> None:
    async def answering(writer: asyncio.StreamWriter, _: bytes) -> None:
        for octet in http(200, b" " * 1000):
            writer.write(bytes((octet,)))
            await writer.drain()
            await asyncio.sleep(0.2)

    answer, passed = swiftly(fetching(certificates, answering, 1.0))
    assert str(Trouble.SILENT) in refused(answer) and passed < 8


def test_a_certificate_of_nobodys_is_refused(certificates: tuple[Path, ssl.SSLContext]) -> None:
    answer = fetched(certificates, saying(http(200, b"{}")), trusted=False)
    assert answer.trouble == Trouble.UNTRUSTED


def test_the_longest_suffix_of_the_bootstrap_counts() -> None:
    urls = '["http://no.example/", "https://a.nic.example/x/"]'
    text = f'{{"services": [[["example", "co.example"], {urls}], [["test"], []]]}}'
    found = parse_bootstrap(text)
    assert found.url_for(parse_name("kilnandclay.example.")) == "https://a.nic.example/x/domain/kilnandclay.example"
    assert found.url_for(parse_name("evensong.test.")) is None
    assert (
        Bootstrap({"co.example": "https://b/", "example": "https://a/"}).url_for(parse_name("x.co.example."))
        == "https://b/domain/x.co.example"
    )
    for wrong in ("[]", '{"services": [1]}', "no"):
        with pytest.raises(ValueError, match=r"."):
            parse_bootstrap(wrong)


# Resolvers over TLS and HTTPS


def resolved(
    certificates: tuple[Path, ssl.SSLContext],
    over: str,
    answering: Answering | None,
    host: str = HOST,
    trusted: bool = True,
) -> Reply:
    """What asking a resolver like this comes to. Over TLS the answering gets the question, over HTTPS the request."""
    name = parse_name("kilnandclay.example.")

    async def stream(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        try:
            length = int.from_bytes(await reader.readexactly(2))
            assert answering is not None
            await answering(writer, await reader.readexactly(length))
            await writer.drain()
        except (ConnectionError, asyncio.IncompleteReadError):
            pass
        finally:
            writer.close()

    async def run() -> Reply:
        if over == "tls":
            server = await asyncio.start_server(stream, "127.0.0.1", 0, ssl=certificates[1])
            end = Endpoint("127.0.0.1", server.sockets[0].getsockname()[1])
        else:
            assert answering is not None
            server, end = await serve(certificates[1], answering)
        asker = Asker(Route({"192.0.2.101": end}), SystemClock(), Patience(0.5, 1))
        authority = str(certificates[0]) if trusted else None
        place = ResolverPlace("192.0.2.101", over, host, authority=authority)  # type: ignore[arg-type]
        async with server:
            try:
                return await ask_resolver(asker, place, name, 2)
            finally:
                asker.close()

    return asyncio.run(run())


def framed(wire: bytes) -> bytes:
    return len(wire).to_bytes(2) + wire


async def honest(writer: asyncio.StreamWriter, query: bytes) -> None:
    asked = decode(query)
    writer.write(framed(encode(Message(asked.id, QR, 0, asked.questions))))


async def another_id(writer: asyncio.StreamWriter, query: bytes) -> None:
    asked = decode(query)
    writer.write(framed(encode(Message(asked.id ^ 1, QR, 0, asked.questions))))


async def silent(writer: asyncio.StreamWriter, query: bytes) -> None:
    await asyncio.sleep(3)


def test_a_resolver_over_tls(certificates: tuple[Path, ssl.SSLContext]) -> None:
    reply = resolved(certificates, "tls", honest)
    assert reply.answered and reply.transport == Transport.TLS and reply.server == "tls:192.0.2.101"
    assert resolved(certificates, "tls", another_id).trouble == Trouble.MALFORMED
    assert resolved(certificates, "tls", silent).trouble == Trouble.SILENT
    assert resolved(certificates, "tls", honest, host="other.nic.example").trouble == Trouble.UNTRUSTED
    assert resolved(certificates, "tls", honest, trusted=False).trouble == Trouble.UNTRUSTED


@pytest.mark.parametrize("over", ["tls", "https"])
def test_a_resolver_with_no_place_free_is_asked_again(certificates: tuple[Path, ssl.SSLContext], over: str) -> None:
    """Unbound takes no more than ten connections; who comes then hears nothing, and the resolver is not silent for
    that."""
    heard = 0

    async def answering(writer: asyncio.StreamWriter, query: bytes) -> None:
        nonlocal heard
        heard += 1
        if heard == 1:
            await silent(writer, query)
        elif over == "tls":
            await honest(writer, query)
        else:
            await saying(http(500, b""))(writer, query)

    reply = resolved(certificates, over, answering)
    assert heard == 2 and reply.tries == 2
    assert reply.answered if over == "tls" else reply.trouble == Trouble.HTTP


def test_a_resolver_over_https_that_lies(certificates: tuple[Path, ssl.SSLContext]) -> None:
    assert resolved(certificates, "https", saying(http(200, b"{}"))).trouble == Trouble.HTTP
    wire = (
        b"HTTP/1.1 200 X\r\ncontent-type: application/dns-message\r\ncontent-length: 3\r\nconnection: close\r\n\r\nabc"
    )
    assert resolved(certificates, "https", saying(wire)).trouble == Trouble.MALFORMED
    assert resolved(certificates, "https", saying(http(500, b""))).trouble == Trouble.HTTP
