"""The world's web servers: registration data over RDAP, and DNS over HTTPS in front of a resolver.

HTTP/1.1 as far as both need it (RFC 9112): one request, one answer, connection closed.
"""

import asyncio
import json
import ssl
from collections.abc import Awaitable, Callable
from email.utils import formatdate
from typing import NamedTuple

from legatum.core.records.name import Name, name_text, parse_domain
from legatum.core.running.fault import BadInput
from legatum.net.asking.route import Endpoint
from legatum.net.clock import Clock
from legatum.practice import scenario
from legatum.practice.registry import Registry
from legatum.wire.epp import DomainData, HostData

BOOTSTRAP_PATH = "dns.json"
_LOOPBACK = "127.0.0.1"
_MOST = 65536
_PATIENCE = 10.0


class Request(NamedTuple):
    method: str
    path: str
    body: bytes


class Response(NamedTuple):
    status: int
    media_type: str
    body: bytes


Handler = Callable[[Request], Awaitable[Response]]


class WebServer:
    """Listens on a loopback port of its own. ``endpoint`` is where."""

    def __init__(self, handler: Handler, tls: ssl.SSLContext, clock: Clock) -> None:
        self._handler = handler
        self._clock = clock
        self._tls = tls
        self.endpoint: Endpoint

    async def open(self) -> None:
        self._server = await asyncio.start_server(self._serve, _LOOPBACK, 0, ssl=self._tls)
        self.endpoint = Endpoint(_LOOPBACK, self._server.sockets[0].getsockname()[1])

    def close(self) -> None:
        self._server.close()

    async def _serve(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        try:
            async with asyncio.timeout(_PATIENCE):
                response = await self._handler(await _read(reader))
                head = (
                    f"HTTP/1.1 {response.status} {'OK' if response.status == 200 else 'Not OK'}\r\n"
                    f"content-type: {response.media_type}\r\n"
                    f"date: {formatdate(self._clock.now(), usegmt=True)}\r\n"
                    f"content-length: {len(response.body)}\r\nconnection: close\r\n\r\n"
                )
                writer.write(head.encode() + response.body)
                await writer.drain()
        except (ValueError, TimeoutError, ConnectionError, asyncio.IncompleteReadError, asyncio.LimitOverrunError):
            pass  # whoever asks like that gets no answer
        finally:
            writer.close()


async def _read(reader: asyncio.StreamReader) -> Request:
    """Raises ``ValueError`` for what is no request."""
    head = (await reader.readuntil(b"\r\n\r\n")).decode("latin-1").split("\r\n")
    method, path, _ = head[0].split(" ")
    fields = {key.strip().lower(): value.strip() for key, _, value in (line.partition(":") for line in head[1:])}
    length = int(fields.get("content-length", "0"))
    if length > _MOST:
        raise ValueError("too long")
    return Request(method, path, await reader.readexactly(length))


def bootstrap() -> dict[str, object]:
    """Which server knows which suffix (RFC 9224 s3)."""
    return {"version": "1.0", "services": [[list(scenario.TLDS), [f"https://{scenario.RDAP_SERVER}/"]]]}


class RdapService:
    """RDAP's lookups of domains and name servers (RFC 9082 s3.1.3, s3.1.4) from the registry's data."""

    def __init__(self, registry: Registry) -> None:
        self._registry = registry

    async def handle(self, request: Request) -> Response:
        if request.method == "GET" and request.path == f"/{BOOTSTRAP_PATH}":
            return Response(200, "application/json", json.dumps(bootstrap()).encode())
        kind, _, name = request.path.strip("/").partition("/")
        try:
            said = self._found(kind, parse_domain(name)) if request.method == "GET" else None
        except BadInput:
            return _json(400, {"errorCode": 400, "title": "no domain name"})
        return _json(200, said) if said else _json(404, {"errorCode": 404, "title": "not here"})

    def _found(self, kind: str, name: Name) -> dict[str, object] | None:
        book = self._registry.book
        if kind == "nameserver":
            return _host(book.hosts[name]) if name in book.hosts else None
        found = self._registry.known(name) if kind == "domain" else None
        return _domain(found, book.in_grace(found.name)) if found else None


def _domain(data: DomainData, grace: tuple[str, ...]) -> dict[str, object]:
    """RFC 9083 s5.3."""
    card = ["vcard", [["version", {}, "text", "4.0"], ["fn", {}, "text", data.registrar]]]
    dates = {
        "registration": data.created,
        "last changed": data.updated,
        "expiration": data.expires,
        "transfer": data.transferred,
    }
    statuses = [*(status for status in data.statuses if status != "ok"), *grace] or ["ok"]
    return {
        "rdapConformance": ["rdap_level_0"],
        "objectClassName": "domain",
        "handle": data.roid,
        "ldhName": name_text(data.name),
        "status": ["active" if status == "ok" else _spaced(status) for status in statuses],
        "events": [{"eventAction": action, "eventDate": date} for action, date in dates.items() if date],
        "entities": [
            {"objectClassName": "entity", "roles": ["registrar"], "handle": data.registrar, "vcardArray": card}
        ],
        "nameservers": [{"objectClassName": "nameserver", "ldhName": name_text(host)} for host in data.nameservers],
        "secureDNS": {"delegationSigned": bool(data.ds), "dsData": [_ds(each) for each in data.ds]},
    }


def _host(data: HostData) -> dict[str, object]:
    """RFC 9083 s5.2."""
    sorts = {
        "v4": [each for each in data.addresses if ":" not in each],
        "v6": [each for each in data.addresses if ":" in each],
    }
    return {
        "rdapConformance": ["rdap_level_0"],
        "objectClassName": "nameserver",
        "ldhName": name_text(data.name),
        "ipAddresses": {kind: found for kind, found in sorts.items() if found},
    }


def _ds(rdata: bytes) -> dict[str, object]:
    return {
        "keyTag": int.from_bytes(rdata[:2]),
        "algorithm": rdata[2],
        "digestType": rdata[3],
        "digest": rdata[4:].hex().upper(),
    }


def _spaced(status: str) -> str:
    """``clientTransferProhibited`` is ``client transfer prohibited`` (RFC 8056)."""
    return "".join(f" {each.lower()}" if each.isupper() else each for each in status)


def _json(status: int, document: dict[str, object]) -> Response:
    return Response(status, "application/rdap+json", json.dumps(document).encode())


class DnsService:
    """DNS over HTTPS (RFC 8484): what a resolver answers to the message in a POST."""

    def __init__(self, answer: Callable[[bytes, bool], Awaitable[list[bytes]]]) -> None:
        self._answer = answer

    async def handle(self, request: Request) -> Response:
        if request.method != "POST" or request.path != "/dns-query":
            return Response(404, "text/plain", b"not here\n")
        answers = await self._answer(request.body, True)
        return (
            Response(200, "application/dns-message", answers[0])
            if answers
            else Response(400, "text/plain", b"no message\n")
        )
