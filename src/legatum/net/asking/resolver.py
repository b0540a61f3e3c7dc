"""Asking a resolver: plainly, over TLS (RFC 7858) or over HTTPS (RFC 8484)."""

import asyncio
import ssl
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

from legatum.core.records.name import Name
from legatum.net.asking.asker import Asker
from legatum.net.asking.reply import Reply, Transport, Trouble
from legatum.net.asking.route import Unreachable
from legatum.net.asking.web import fetch
from legatum.wire.malformed import Malformed
from legatum.wire.message import RD, decode, encode_question

_TLS_PORT, _HTTPS_PORT = 853, 443
_MESSAGE_TYPE = "application/dns-message"
_AT_ONCE = (
    3  # questions: Unbound has ten places for TCP, TLS and HTTPS together, and keeps each until its answer is found
)
_TRIES = 2  # a connection that was not taken in time says no more than a packet that was lost


@dataclass(frozen=True, slots=True)
class ResolverPlace:
    """Where a resolver is. ``host``: the name on its certificate; ``authority``: a file of certificates, if not the
    system's."""

    address: str
    over: Literal["plain", "tls", "https"] = "plain"
    host: str = ""
    path: str = "/dns-query"
    authority: str | None = None

    @property
    def text(self) -> str:
        """As replies name it: the address, and the way when it is not the plain one."""
        return self.address if self.over == "plain" else f"{self.over}:{self.address}"


async def ask_resolver(asker: Asker, place: ResolverPlace, name: Name, rtype: int) -> Reply:
    """One question with recursion desired, signatures and all. As with :meth:`Asker.ask` nothing is raised."""
    if place.over == "plain":
        return await asker.ask(place.address, name, rtype, recursion=True, dnssec=True)
    if (kept := asker.kept(place.text, name, rtype)) is not None:
        return kept
    loop = asyncio.get_running_loop()
    query = encode_question(0, name, rtype, flags=RD, dnssec=True)
    over, transport = (_over_tls, Transport.TLS) if place.over == "tls" else (_over_https, Transport.HTTPS)
    tries = 0
    async with asker.places(place.text, _AT_ONCE):
        while tries < _TRIES:
            started, tries = loop.time(), tries + 1
            asker.asked += 1
            wire, trouble = await over(asker, place, name, rtype, query)
            if trouble not in (Trouble.SILENT, Trouble.CUT_OFF):
                break
    sent = wire[:2] + query[2:] if wire else query
    reply = Reply(
        place.text, name, rtype, asker.clock.now(), loop.time() - started, transport, tries, wire, trouble, sent
    )
    asker.note(reply)
    return reply


async def _over_tls(
    asker: Asker, place: ResolverPlace, name: Name, rtype: int, query: bytes
) -> tuple[bytes, Trouble | None]:
    try:
        endpoint = asker.route.endpoint(place.address, _TLS_PORT)
    except Unreachable:
        return b"", Trouble.UNREACHABLE
    ident, timeout, host = asker.random.getrandbits(16), asker.patience.timeout, place.host or place.address
    heard = await asker.connections().converse(
        endpoint, name, rtype, query, ident, timeout, _trusting(place.authority), host
    )
    return heard.wire, heard.trouble


@lru_cache
def _trusting(authority: str | None) -> ssl.SSLContext:
    return ssl.create_default_context(cafile=authority)


async def _over_https(
    asker: Asker, place: ResolverPlace, name: Name, rtype: int, query: bytes
) -> tuple[bytes, Trouble | None]:
    """By POST, so that nothing on the way keeps the answer (RFC 8484 s4.1)."""
    url = f"https://{place.host or place.address}{place.path}"
    headers = {"content-type": _MESSAGE_TYPE, "accept": _MESSAGE_TYPE}
    answer = await fetch(
        asker.route,
        url,
        asker.patience.timeout * 2,
        body=query,
        headers=headers,
        authority=place.authority,
        address=place.address,
    )
    if answer.trouble is not None:
        return b"", answer.trouble
    if answer.status != 200 or answer.media_type != _MESSAGE_TYPE:
        return b"", Trouble.HTTP
    try:
        questions = decode(answer.body).questions
    except Malformed:
        return b"", Trouble.MALFORMED
    good = answer.body[:2] == query[:2] and (not questions or questions[0][:2] == (name, rtype))
    return (answer.body, None) if good else (b"", Trouble.MALFORMED)
