"""Fetching over HTTPS with everything bounded: time, size, redirects. For registration data and for DNS over HTTPS."""

import asyncio
import ssl
from collections.abc import Mapping
from contextlib import suppress
from dataclasses import dataclass, field
from email.utils import parsedate_to_datetime
from urllib.parse import urljoin, urlsplit

from legatum.net.asking.reply import Trouble
from legatum.net.asking.route import Route, Unreachable

MOST_OCTETS = 1 << 20
_MOST_REDIRECTS = 4


@dataclass(frozen=True)
class WebAnswer:
    """``trouble``: why there is nothing, with ``why`` in words; else the status, what the body is said to be, and the
    body. ``date``: what time it is by the server's clock, in seconds since 1970 (RFC 9110 s6.6.1), where it says so."""

    url: str
    status: int = 0
    media_type: str = ""
    body: bytes = b""
    trouble: Trouble | None = None
    why: str = field(default="", compare=False)
    date: float | None = field(default=None, compare=False)


async def fetch(
    route: Route, url: str, timeout: float, *, body: bytes | None = None, headers: Mapping[str, str] | None = None,
    authority: str | None = None, address: str | None = None,
) -> WebAnswer:  # fmt: skip
    """GET, or POST of ``body``. ``address``: where the host of ``url`` is, if its name is not to be looked up;
    ``authority``: a file of certificates to trust instead of the system's. Never longer than ``timeout`` seconds in
    all, never more than a MiB, only https.
    """
    import httpx

    try:
        tls = ssl.create_default_context(cafile=authority)
        async with (
            asyncio.timeout(timeout),
            httpx.AsyncClient(verify=tls, http2=True, trust_env=False, timeout=timeout) as client,
        ):
            for _ in range(_MOST_REDIRECTS + 1):
                answer = await _once(client, route, url, body, headers or {}, address)
                if answer.status not in (301, 302, 303, 307, 308):
                    return answer
                url, address = urljoin(url, answer.body.decode("latin-1")), None
                if urlsplit(url).scheme != "https":
                    return WebAnswer(
                        url, trouble=Trouble.HTTP, why=f"redirected to {urlsplit(url).scheme or 'nowhere'}, not https"
                    )
        return WebAnswer(url, trouble=Trouble.HTTP, why=f"redirected more than {_MOST_REDIRECTS} times")
    except TimeoutError:
        return WebAnswer(url, trouble=Trouble.SILENT, why=str(Trouble.SILENT))
    except Unreachable as error:
        return WebAnswer(url, trouble=Trouble.UNREACHABLE, why=str(error))
    except httpx.ConnectError as error:
        trust = "CERTIFICATE" in str(error).upper()
        trouble = Trouble.UNTRUSTED if trust else Trouble.CLOSED
        return WebAnswer(url, trouble=trouble, why=str(trouble))
    except httpx.TimeoutException:
        return WebAnswer(url, trouble=Trouble.SILENT, why=str(Trouble.SILENT))
    except ValueError as error:  # what it redirects to has a host or a port that is none
        return WebAnswer(url, trouble=Trouble.HTTP, why=f"redirected to nowhere: {error}")
    except (httpx.HTTPError, httpx.InvalidURL, OSError) as error:
        if "location header" in str(error):  # the library looks at it too
            return WebAnswer(url, trouble=Trouble.HTTP, why="redirected to nowhere: its location is no URL")
        return WebAnswer(url, trouble=Trouble.CUT_OFF, why=f"{Trouble.CUT_OFF} ({type(error).__name__})")


async def _once(
    client: object, route: Route, url: str, body: bytes | None, headers: Mapping[str, str], address: str | None
) -> WebAnswer:
    """One request. The body of a redirect's answer is where it leads."""
    import httpx

    assert isinstance(client, httpx.AsyncClient)
    parts = urlsplit(url)
    host, port = parts.hostname or "", parts.port or 443
    end = route.endpoint(address or host, port)
    place = f"[{end.host}]" if end.is_ipv6 else end.host
    where = parts._replace(netloc=f"{place}:{end.port}", fragment="").geturl()
    request = client.build_request(
        "GET" if body is None else "POST",
        where,
        content=body,
        headers={**headers, "host": parts.netloc},
        extensions={"sni_hostname": host},
    )
    response = await client.send(request, stream=True)
    try:
        if "location" in response.headers and response.is_redirect:
            return WebAnswer(url, response.status_code, body=response.headers["location"].encode("latin-1", "replace"))
        received = bytearray()
        async for part in response.aiter_bytes():
            received += part
            if len(received) > MOST_OCTETS:
                return WebAnswer(url, trouble=Trouble.HTTP, why=f"more than {MOST_OCTETS} octets")
        media_type = response.headers.get("content-type", "").partition(";")[0].strip().lower()
        return WebAnswer(
            url, response.status_code, media_type, bytes(received), date=_date(response.headers.get("date", ""))
        )
    finally:
        await response.aclose()


def _date(text: str) -> float | None:
    with suppress(ValueError, OverflowError):
        return parsedate_to_datetime(text).timestamp()
    return None
