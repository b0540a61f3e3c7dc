"""What stands behind the names of the world's domains: web pages and mail, the same at every address, as it is with a
site that was copied before its address changes. At one address stands a machine that nobody has set up yet, and at
another one nothing.
"""

import asyncio
import secrets
import ssl
from collections.abc import Awaitable, Callable
from html import escape

from legatum.core.records.name import name_text, parse_domain
from legatum.core.running.fault import BadInput
from legatum.net.asking.route import Endpoint
from legatum.practice import scenario
from legatum.practice.certificate import Authority

_LOOPBACK = "127.0.0.1"
_PATIENCE, _MOST = 10.0, 8192
_HTTP, _HTTPS, _SMTP, _SUBMISSION, _IMAPS = 80, 443, 25, 587, 993
_NOBODY = Endpoint(_LOOPBACK, 1)
Session = Callable[[asyncio.StreamReader, asyncio.StreamWriter], Awaitable[None]]


class Sites:
    """``endpoints``: where each service is, for the world's address map."""

    def __init__(self, authority: Authority) -> None:
        self._authority = authority
        self._servers: list[asyncio.Server] = []
        ports = (_HTTP, _HTTPS, _SMTP, _SUBMISSION, _IMAPS)
        self.endpoints: dict[str, Endpoint] = {f"{scenario.DEAD_MACHINE}#{port}": _NOBODY for port in ports}

    async def open(self) -> None:
        known = [
            *scenario.REGISTRATIONS,
            *(f"{label}.{domain}" for domain in scenario.REGISTRATIONS for label in scenario.SITE_LABELS),
        ]
        await self._machine("*", self._authority.serve(*known, file="sites.pem"), True)
        fresh = self._authority.serve("server.invalid", file="fresh.pem", by_itself=True)
        await self._machine(scenario.FRESH_MACHINE, fresh, False)

    def close(self) -> None:
        for each in self._servers:
            each.close()

    async def _machine(self, address: str, tls: ssl.SSLContext, ready: bool) -> None:
        mail = _Mail(tls, ready)
        services: dict[int, tuple[Session, ssl.SSLContext | None]] = {
            _HTTP: (_Web(ready, False), None),
            _HTTPS: (_Web(ready, True), tls),
            _SMTP: (mail, None),
            _SUBMISSION: (mail, None),
            _IMAPS: (_greet_imap, tls),
        }
        for port, (session, secure) in services.items():
            server = await asyncio.start_server(_bounded(session), _LOOPBACK, 0, ssl=secure, limit=_MOST)
            self._servers.append(server)
            self.endpoints[f"{address}#{port}"] = Endpoint(_LOOPBACK, server.sockets[0].getsockname()[1])


def _bounded(session: Session) -> Session:
    async def served(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        try:
            async with asyncio.timeout(_PATIENCE):
                await session(reader, writer)
                await writer.drain()
        except (TimeoutError, OSError, ValueError, asyncio.IncompleteReadError, asyncio.LimitOverrunError):
            pass  # whoever speaks like that gets no answer
        finally:
            writer.close()

    return served


class _Web:
    """One request, one answer (RFC 9112). A ``ready`` machine leads from http to https; the other shows its default
    page."""

    def __init__(self, ready: bool, secure: bool) -> None:
        self._ready, self._secure = ready, secure

    async def __call__(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        head = (await reader.readuntil(b"\r\n\r\n")).decode("latin-1").split("\r\n")
        fields = {key.strip().lower(): value.strip() for key, _, value in (line.partition(":") for line in head[1:])}
        host, path = fields.get("host", "").partition(":")[0], head[0].split(" ")[1]
        if not self._ready:
            writer.write(_page("This machine works", "It has not been set up for any site yet."))
        elif not self._secure:
            writer.write(
                f"HTTP/1.1 301 Moved\r\nlocation: https://{host}{path}\r\ncontent-length: 0\r\nconnection: "
                "close\r\n\r\n".encode()
            )
        else:
            title, text = scenario.SITES.get(
                host.removeprefix("www."), (host, f"{host} is looked after by Quillmoor Hosting.")
            )
            writer.write(_page(title, text, "strict-transport-security: max-age=31536000\r\n"))


def _page(title: str, text: str, headers: str = "") -> bytes:
    """With a token that is another one each time, as pages have."""
    body = (
        f"<!doctype html><html><head><title>{escape(title)}</title></head><body><h1>{escape(title)}</h1>"
        f"<p>{escape(text)}</p>"
        f'<form><input type="hidden" name="token" value="{secrets.token_hex(8)}"></form></body></html>'
    ).encode()
    head = (
        f"HTTP/1.1 200 OK\r\ncontent-type: text/html; charset=utf-8\r\ncontent-length: {len(body)}\r\n"
        f"{headers}connection: close\r\n\r\n"
    )
    return head.encode() + body


class _Mail:
    """SMTP as far as a visit goes (RFC 5321, RFC 3207); a ``ready`` machine takes mail for the domains of the world."""

    def __init__(self, tls: ssl.SSLContext, ready: bool) -> None:
        self._tls, self._ready = tls, ready

    async def __call__(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        secure = False
        writer.write(b"220 quillmoor-mail ready\r\n")
        while line := (await reader.readuntil(b"\n")).decode("latin-1").strip():
            verb = line.upper()
            if verb.startswith("EHLO"):
                writer.write(
                    b"250-quillmoor-mail\r\n" + (b"" if secure else b"250-STARTTLS\r\n") + b"250 SIZE 52428800\r\n"
                )
            elif verb == "STARTTLS" and not secure:
                writer.write(b"220 go ahead\r\n")
                await writer.start_tls(self._tls)
                secure = True
            elif verb.startswith("MAIL FROM:"):
                writer.write(b"250 ok\r\n")
            elif verb.startswith("RCPT TO:"):
                taken = self._ready and _is_hosted(line.rpartition("@")[2].rstrip("> "))
                writer.write(b"250 ok\r\n" if taken else b"550 5.7.1 no such domain here\r\n")
            elif verb == "QUIT":
                writer.write(b"221 good-bye\r\n")
                return
            else:
                writer.write(b"502 not here\r\n")


def _is_hosted(domain: str) -> bool:
    try:
        return name_text(parse_domain(domain)) in scenario.REGISTRATIONS
    except BadInput:
        return False


async def _greet_imap(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
    writer.write(b"* OK quillmoor-mail ready\r\n")
    await writer.drain()
    await reader.readuntil(b"\n")
