"""Zone transfers (AXFR, RFC 5936) over TCP, signed or not."""

import asyncio
from collections.abc import AsyncIterator

from legatum.core.fault import OutsideFault
from legatum.core.name import Name, is_under, name_text
from legatum.core.rrtype import AXFR, SOA
from legatum.core.zone import Zone
from legatum.net.asker import DNS_PORT, Asker
from legatum.net.route import Unreachable
from legatum.net.signed import check_signed
from legatum.net.tcp import Stream
from legatum.wire.codes import rcode_text
from legatum.wire.malformed import Malformed
from legatum.wire.message import IN, Message, Record, decode, encode_question, rrsets
from legatum.wire.signing import Exchange, Key


async def transfer(asker: Asker, server: str, domain: Name, key: Key | None = None) -> Zone:
    """The whole zone as ``server`` serves it. Raises :class:`OutsideFault` for anything but a complete transfer."""
    what = f"transfer of {name_text(domain)} from {server}"
    collected: list[Record] = []
    opening: Record | None = None
    try:
        async for message in _messages(asker, server, domain, key):
            if message.rcode:
                raise _refused(what, message, key)
            for record in message.answer:
                if opening is None:
                    if record.rtype != SOA or record.name != domain:
                        raise OutsideFault(f"{what}: does not begin with the zone's SOA", "is this server authoritative for it?")
                    opening = record
                elif record.rtype == SOA and record.name == domain:
                    return _whole(what, domain, opening, record, collected)
                else:
                    collected.append(record)
            if opening is None:
                raise OutsideFault(f"{what}: an answer without records", "transfers are not allowed here, or the zone is not served")
    except TimeoutError:
        raise OutsideFault(f"{what}: no answer in time", "is TCP port 53 open between here and the server?") from None
    except ConnectionRefusedError:
        raise OutsideFault(f"{what}: connection refused", "is the server up, and TCP allowed?") from None
    except (asyncio.IncompleteReadError, ConnectionError):
        raise OutsideFault(f"{what}: cut off after {len(collected)} records", "nothing was kept; try again") from None
    except Unreachable as error:
        raise OutsideFault(f"{what}: {error}", "add the address to the map, or take the map away") from None
    except OSError as error:
        raise OutsideFault(f"{what}: {error.strerror or error}", "is there a route to that address?") from None
    except Malformed as error:
        raise OutsideFault(f"{what}: the server sent something that is no DNS message: {error}", "nothing was kept") from error
    raise AssertionError("a transfer ends by its closing SOA or by a fault")


async def _messages(asker: Asker, server: str, domain: Name, key: Key | None) -> AsyncIterator[Message]:
    exchange = Exchange(key) if key else None
    query = encode_question(asker.random.getrandbits(16), domain, AXFR, size=0)
    wire = exchange.sign_request(query, asker.clock.now()) if exchange else query
    async with Stream(asker.route.endpoint(server, DNS_PORT), asker.patience.timeout * 5) as stream:
        stream.send(wire)
        while True:
            received = await stream.receive()
            message = decode(received)
            if received[:2] != query[:2]:
                raise Malformed("an answer to another question")
            check_signed(server, exchange, received, message, asker.clock.now(), multi=True)
            yield message


def _refused(what: str, message: Message, key: Key | None) -> OutsideFault:
    words = rcode_text(message.rcode)
    remedy = "the server does not take this key, or does not serve the zone" if key else "allow this address or give a key (TSIG)"
    return OutsideFault(f"{what}: {words}", remedy)


def _whole(what: str, domain: Name, opening: Record, closing: Record, collected: list[Record]) -> Zone:
    if opening.rdata != closing.rdata:
        raise OutsideFault(f"{what}: the zone changed while it was sent", "try again")
    inside = (record for record in [opening, *collected] if record.rclass == IN and is_under(record.name, domain))
    return Zone(domain, rrsets(inside))
