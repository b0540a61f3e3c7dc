"""A site by name at a given address: HTTP/1.1 and HTTP/2, redirects followed as long as they stay in the domain.

A page is read up to a mebibyte; a visit takes no longer than its time-out in all. Nothing is raised for what a server
can do wrong.
"""

import asyncio
import ssl
from collections.abc import Callable
from dataclasses import replace
from typing import Any, NamedTuple
from urllib.parse import urljoin, urlsplit

from legatum.core.records.name import Name, name_text
from legatum.core.service.page import page_of
from legatum.core.service.seen import Certificate, Trust, WebSeen
from legatum.core.service.spot import PORTS, Protocol
from legatum.net.asking.reply import Trouble
from legatum.net.asking.route import Route, Unreachable
from legatum.net.visiting.tls import lenient, seen_certificate, strict, trouble_of, trust_of

_MOST_OCTETS = 1 << 20
_MOST_HOPS = 8
_LONGEST_TEXT = 65_536
_REDIRECTS = (301, 302, 303, 307, 308)
_HEADERS = {"user-agent": "legatum", "accept": "text/html, */*;q=0.5", "accept-encoding": "identity"}
_PROTOCOLS = ("h2", "http/1.1")


class _Body(NamedTuple):
    """A page as it came: its octets as far as they were taken, the character set that the server names, and whether
    there was more."""

    octets: bytes
    charset: str
    cut: bool


class Visitor:
    """One who comes to a domain's sites at one address. ``ours``: whether a host belongs to the domain, so that
    redirects to it are followed; ``timeout``: seconds for a visit in all; ``authority``: a file of certificates to
    trust instead of the system's."""

    def __init__(
        self, route: Route, address: str, ours: Callable[[str], bool], timeout: float, authority: str | None
    ) -> None:
        self._route, self._address, self._ours = route, address, ours
        self._timeout, self._authority = timeout, authority

    async def visit(self, protocol: Protocol, name: Name) -> WebSeen:
        """What somebody gets who opens the site of that name."""
        seen = WebSeen()
        try:
            async with asyncio.timeout(self._timeout):
                certificate = await self._certificate(name_text(name)) if protocol == Protocol.HTTPS else None
                seen = replace(seen, certificate=certificate)
                seen, body = await self._follow(seen, f"{protocol}://{name_text(name)}/")
            return replace(seen, page=await asyncio.to_thread(page_of, *body)) if body is not None else seen
        except TimeoutError:
            return replace(seen, trouble=f"{Trouble.SILENT}: it had not ended after {self._timeout:g} s")
        except Unreachable as error:
            return replace(seen, trouble=str(error))
        except ssl.SSLError as error:
            return replace(seen, trouble=_tls_trouble(error))
        except OSError as error:
            return replace(seen, trouble=trouble_of(error))

    async def _certificate(self, host: str) -> Certificate | None:
        """Raises as connecting does."""
        end = self._route.endpoint(self._address, PORTS[Protocol.HTTPS])
        trust, said = Trust.WHOLE, ""
        try:
            _, writer = await asyncio.open_connection(
                end.host, end.port, ssl=strict(self._authority, _PROTOCOLS), server_hostname=host
            )
        except ssl.SSLCertVerificationError as error:
            trust, said = trust_of(error)
            _, writer = await asyncio.open_connection(end.host, end.port, ssl=lenient(_PROTOCOLS), server_hostname=host)
        found = seen_certificate(writer.get_extra_info("ssl_object"), trust, said)
        writer.close()
        return found

    async def _follow(self, seen: WebSeen, url: str) -> tuple[WebSeen, _Body | None]:
        """What was seen on the way to a page, and the page as it came: reading it is left to the caller, for it takes
        longer than others' time-outs allow."""
        import httpx

        been: list[tuple[str, int]] = []
        try:
            async with httpx.AsyncClient(
                verify=lenient(), http2=True, trust_env=False, timeout=self._timeout
            ) as client:
                while True:
                    seen, leads, body = await self._once(client, seen, url)
                    been.append((url, seen.status))
                    seen = replace(seen, hops=tuple(been))
                    if not leads:
                        return seen, body
                    if not self._is_ours(leads):
                        return replace(seen, leads=leads), None
                    if leads in [each for each, _ in been] or len(been) > _MOST_HOPS:
                        return replace(seen, endless=True), None
                    url = leads
        except (httpx.HTTPError, httpx.InvalidURL, ValueError) as error:
            return replace(seen, hops=tuple(been), trouble=_http_trouble(error)), None

    def _is_ours(self, url: str) -> bool:
        parts = urlsplit(url)
        return parts.scheme in ("http", "https") and parts.port in (None, 80, 443) and self._ours(parts.hostname or "")

    async def _once(self, client: Any, seen: WebSeen, url: str) -> tuple[WebSeen, str, _Body | None]:
        """One request, where it leads, and what came. Raises what the library raises, or ``ValueError`` for a place
        that is none."""
        parts = urlsplit(url)
        secure, host = parts.scheme == "https", parts.hostname or ""
        end = self._route.endpoint(self._address, PORTS[Protocol.HTTPS if secure else Protocol.HTTP])
        place = f"[{end.host}]:{end.port}" if end.is_ipv6 else f"{end.host}:{end.port}"
        where = parts._replace(netloc=place, fragment="").geturl()
        request = client.build_request(
            "GET", where, headers={**_HEADERS, "host": parts.netloc}, extensions={"sni_hostname": host}
        )
        response = await client.send(request, stream=True)
        try:
            version = response.http_version
            hsts = response.headers.get("strict-transport-security", "") if secure else ""
            seen = replace(seen, version=version, hops=((url, response.status_code),), hsts=hsts or seen.hsts)
            if response.status_code in _REDIRECTS and "location" in response.headers:
                return seen, urljoin(url, response.headers["location"]), None
            body, cut = bytearray(), False
            async for part in response.aiter_raw():
                body += part
                if len(body) > _MOST_OCTETS:
                    cut = True
                    break
            return seen, "", _Body(bytes(body[:_MOST_OCTETS]), response.charset_encoding or "", cut)
        finally:
            await response.aclose()


def _http_trouble(error: Exception) -> str:
    name = type(error).__name__
    if isinstance(error, ValueError) or name == "InvalidURL":
        return f"it redirects to a place that is none ({error})"
    if name in ("RemoteProtocolError", "LocalProtocolError"):
        return f"what came is no HTTP, or broke off ({error})"
    if name in ("ConnectTimeout", "ReadTimeout", "PoolTimeout", "WriteTimeout"):
        return str(Trouble.SILENT)
    if name in ("ReadError", "WriteError", "CloseError"):
        return str(Trouble.CUT_OFF)
    below = _system_error(error)
    return trouble_of(below) if below is not None else f"the connection failed ({error or name})"


def _system_error(error: BaseException | None) -> OSError | None:
    """What the system said, under what libraries made of it."""
    found = None
    while error is not None:
        if isinstance(error, OSError) and not isinstance(error, ssl.SSLError):
            found = error
        error = error.__cause__ or error.__context__
    return found


def _tls_trouble(error: ssl.SSLError) -> str:
    reason = (error.reason or "").replace("_", " ").lower()
    if "wrong version number" in reason or "record layer" in reason or "packet length" in reason:
        return "it does not speak TLS there"
    return f"no TLS with it ({reason or error})"


async def fetch_text(route: Route, address: str, url: str, timeout: float, authority: str | None) -> tuple[str, str]:
    """A small text behind a certificate that must hold, without redirects (RFC 8461 s3.3); and why there is none."""
    import httpx

    parts = urlsplit(url)
    host = parts.hostname or ""
    try:
        end = route.endpoint(address, PORTS[Protocol.HTTPS])
        tls = ssl.create_default_context(cafile=authority)
        place = f"[{end.host}]:{end.port}" if end.is_ipv6 else f"{end.host}:{end.port}"
        async with asyncio.timeout(timeout), httpx.AsyncClient(verify=tls, trust_env=False, timeout=timeout) as client:
            headers = {**_HEADERS, "host": host}
            where = parts._replace(netloc=place).geturl()
            request = client.build_request("GET", where, headers=headers, extensions={"sni_hostname": host})
            response = await client.send(request, stream=True)
            body = bytearray()
            async for part in response.aiter_raw():
                body += part
                if len(body) > _LONGEST_TEXT:
                    return "", f"more than {_LONGEST_TEXT} octets"
            if response.status_code != 200:
                return "", f"status {response.status_code}"
            return body.decode("utf-8", "replace"), ""
    except (TimeoutError, httpx.TimeoutException):
        return "", str(Trouble.SILENT)
    except (httpx.HTTPError, httpx.InvalidURL, OSError, ValueError) as error:
        return "", f"it cannot be fetched ({error})"
