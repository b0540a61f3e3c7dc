"""A mail server as those see it that bring mail (SMTP, RFC 5321), hand mail in (submission, RFC 6409) and fetch it
(IMAP over TLS, RFC 8314).

Nothing is sent but greetings and the question whether it takes mail for the domain's postmaster, which every domain
with mail must have (RFC 5321 s4.5.1); the question ends before any mail begins. Lines and time are bounded.
"""

import asyncio
import ssl
from dataclasses import replace

from legatum.core.records.name import Name, name_text
from legatum.core.service.seen import MailSeen, Trust
from legatum.core.service.spot import PORTS, Protocol
from legatum.net.asking.reply import Trouble
from legatum.net.asking.route import Endpoint, Route, Unreachable
from legatum.net.visiting.tls import lenient, seen_certificate, strict, trouble_of, trust_of

_LONGEST = 4096
_MOST_LINES = 100
_SHOWN = 200
_GREETING = "legatum.invalid"


class _Talk(Exception):
    """It does not speak as it should; why."""


async def visit_mail(
    route: Route, address: str, protocol: Protocol, host: Name, domain: Name, timeout: float, authority: str | None
) -> MailSeen:
    """``host``: the mail server's name, which its certificate must carry; ``domain``: for which it is asked to take
    mail. Nothing is raised."""
    seen = MailSeen()
    try:
        end = route.endpoint(address, PORTS[protocol])
        async with asyncio.timeout(timeout):
            try:
                return await _talk(end, protocol, host, domain, strict(authority), seen)
            except ssl.SSLCertVerificationError as error:
                return await _talk(end, protocol, host, domain, lenient(), seen, *trust_of(error))
    except TimeoutError:
        return replace(seen, trouble=f"{Trouble.SILENT}: it had not ended after {timeout:g} s")
    except Unreachable as error:
        return replace(seen, trouble=str(error))
    except _Talk as error:
        return replace(seen, trouble=str(error))
    except ssl.SSLError as error:
        return replace(seen, trouble=f"no TLS with it ({(error.reason or str(error)).replace('_', ' ').lower()})")
    except asyncio.IncompleteReadError:
        return replace(seen, trouble=str(Trouble.CUT_OFF))
    except OSError as error:
        return replace(seen, trouble=trouble_of(error))


async def _talk(
    end: Endpoint,
    protocol: Protocol,
    host: Name,
    domain: Name,
    context: ssl.SSLContext,
    seen: MailSeen,
    trust: Trust = Trust.WHOLE,
    said: str = "",
) -> MailSeen:
    """Raises ``ssl.SSLCertVerificationError`` where ``context`` wants more of the certificate than it gives."""
    tls, name = (context, name_text(host)) if protocol == Protocol.IMAPS else (None, None)
    reader, writer = await asyncio.open_connection(end.host, end.port, limit=_LONGEST, ssl=tls, server_hostname=name)
    try:
        if protocol == Protocol.IMAPS:
            banner = await _line(reader)
            if not banner.startswith("* "):
                raise _Talk(f"what came is no IMAP ({banner[:_SHOWN]})")
            certificate = seen_certificate(writer.get_extra_info("ssl_object"), trust, said)
            return replace(seen, banner=banner[2:][:_SHOWN], tls=True, certificate=certificate)
        code, banner = await _reply(reader)
        if code != 220:
            raise _Talk(f"it does not greet, but says {code} {banner[:_SHOWN]}")
        seen = replace(seen, banner=banner[:_SHOWN])
        offers = await _greet(reader, writer)
        if "STARTTLS" in offers:
            code, words = await _ask(reader, writer, "STARTTLS")
            if code != 220:
                raise _Talk(f"it offers STARTTLS, and then says {code} {words[:_SHOWN]}")
            await writer.start_tls(context, server_hostname=name_text(host))
            seen = replace(seen, certificate=seen_certificate(writer.get_extra_info("ssl_object"), trust, said))
            await _greet(reader, writer)
        seen = replace(seen, tls="STARTTLS" in offers)
        if protocol == Protocol.SMTP:
            seen = await _ask_to_take(reader, writer, domain, seen)
        writer.write(b"QUIT\r\n")
        return seen
    finally:
        writer.close()


async def _greet(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> set[str]:
    code, words = await _ask(reader, writer, f"EHLO {_GREETING}")
    if code != 250:
        code, words = await _ask(reader, writer, f"HELO {_GREETING}")
        if code != 250:
            raise _Talk(f"it does not return the greeting: {code} {words[:_SHOWN]}")
        return set()
    return {line.split()[0].upper() for line in words.splitlines()[1:] if line.split()}


async def _ask_to_take(
    reader: asyncio.StreamReader, writer: asyncio.StreamWriter, domain: Name, seen: MailSeen
) -> MailSeen:
    for question in ("MAIL FROM:<>", f"RCPT TO:<postmaster@{name_text(domain)}>"):
        code, words = await _ask(reader, writer, question)
        said = f"{code} {' '.join(words.split())}"[:_SHOWN]
        if code // 100 != 2:
            return replace(seen, takes=False if code // 100 == 5 else None, said=said)
    return replace(seen, takes=True, said=said)


async def _ask(reader: asyncio.StreamReader, writer: asyncio.StreamWriter, words: str) -> tuple[int, str]:
    writer.write(words.encode() + b"\r\n")
    return await _reply(reader)


async def _reply(reader: asyncio.StreamReader) -> tuple[int, str]:
    """Code and text; lines of one reply joined by line ends (RFC 5321 s4.2)."""
    lines = []
    for _ in range(_MOST_LINES):
        line = await _line(reader)
        if not line[:3].isdecimal():
            raise _Talk(f"what came is no SMTP ({line[:_SHOWN]})")
        lines.append(line[4:])
        if line[3:4] != "-":
            return int(line[:3]), "\n".join(lines)
    raise _Talk("it does not stop talking")


async def _line(reader: asyncio.StreamReader) -> str:
    try:
        return (await reader.readuntil(b"\n")).decode("latin-1").rstrip("\r\n")
    except asyncio.LimitOverrunError:
        raise _Talk("a line without an end") from None
