"""Sending a dynamic update (RFC 2136) over TCP. NOERROR proves nothing: whoever calls this reads back."""

import asyncio

from legatum.core.fault import OutsideFault
from legatum.core.name import Name, name_text
from legatum.core.zone import Zone
from legatum.net.asker import DNS_PORT, Asker
from legatum.net.signed import check_signed
from legatum.net.tcp import Stream
from legatum.wire.codes import rcode_text
from legatum.wire.malformed import Malformed
from legatum.wire.message import UPDATE, Message, Question, Record, decode, encode
from legatum.wire.signing import Exchange, Key
from legatum.wire.update import update_message

_NOT_AUTHORITATIVE, _CHANGED = 9, 8


async def send_update(asker: Asker, server: str, zone: Zone, wanted: Zone, key: Key | None) -> None:
    """Asks ``server`` to turn ``zone`` into ``wanted``. Raises :class:`OutsideFault` when it refuses or does not answer."""
    await send_message(asker, server, zone.origin, update_message(zone, wanted, asker.random.getrandbits(16)), key)


async def send_records(asker: Asker, server: str, origin: Name, changes: tuple[Record, ...], key: Key | None) -> None:
    """Sends an update section as it is, without a prerequisite."""
    message = Message(asker.random.getrandbits(16), UPDATE << 11, 0, (Question(origin, 6),), (), changes)
    await send_message(asker, server, origin, message, key)


async def send_message(asker: Asker, server: str, origin: Name, message: Message, key: Key | None) -> None:
    """One signed UPDATE and its answer. Raises :class:`OutsideFault`."""
    what = f"update of {name_text(origin)} at {server}"
    exchange = Exchange(key) if key else None
    try:
        wire = encode(message)
        signed = exchange.sign_request(wire, asker.clock.now()) if exchange else wire
        async with Stream(asker.route.endpoint(server, DNS_PORT), asker.patience.timeout * 5) as stream:
            stream.send(signed)
            received = await stream.receive()
        answer = decode(received)
        if received[:2] != wire[:2]:
            raise Malformed("an answer to another message")
    except TimeoutError:
        raise OutsideFault(f"{what}: no answer in time", "it may or may not have been done: look before trying again") from None
    except asyncio.IncompleteReadError:
        raise OutsideFault(
            f"{what}: the connection closed before the answer",
            "it may or may not have been done: look before trying again",
        ) from None
    except Malformed as error:
        raise OutsideFault(f"{what}: the answer is no DNS message: {error}", "is that a DNS server?") from error
    except OSError as error:
        raise OutsideFault(f"{what}: {error.strerror or error}", "is the server up, and TCP allowed?") from None
    check_signed(server, exchange, received, answer, asker.clock.now())
    if answer.rcode:
        raise OutsideFault(f"{what}: {rcode_text(answer.rcode)}", _remedy(answer.rcode, key))


def _remedy(rcode: int, key: Key | None) -> str:
    if rcode == _CHANGED:
        return "somebody changed the zone since it was read: read it again"
    if rcode == _NOT_AUTHORITATIVE:
        return "the zone does not exist there yet: create it, or the key may not change it"
    return "the key may not change this zone" if key else "give a key (TSIG) that may change the zone"
