"""Sending a dynamic update (RFC 2136) over TCP. NOERROR proves nothing: whoever calls this reads back."""

import asyncio
import contextlib
from collections.abc import Sequence

from legatum.core.fault import OutsideFault
from legatum.core.name import Name, name_text
from legatum.core.rrtype import CDNSKEY, CDS, CNAME, DNAME, DNSKEY, DS, NSEC, NSEC3, RRSIG, type_text
from legatum.core.zone import Zone
from legatum.net.asker import DNS_PORT, Asker
from legatum.net.signed import check_signed
from legatum.net.tcp import Stream
from legatum.wire.codes import rcode_text
from legatum.wire.malformed import Malformed
from legatum.wire.message import UPDATE, Message, Question, Record, decode, encode
from legatum.wire.signing import Exchange, Key
from legatum.wire.update import distinct_changes, replace_changes, update_messages, without_effect

_NOT_AUTHORITATIVE, _CHANGED, _REFUSED = 9, 8, 5
_OF_THE_ZONE = (_NOT_AUTHORITATIVE, _CHANGED)  # what no record of the change is to blame for
_PARTICULAR = (CNAME, DNAME, DS, DNSKEY, CDS, CDNSKEY, RRSIG, NSEC, NSEC3)  # to be refused for what they say, or for what they stand beside
_MOST_NAMED = 3  # refused records that are looked for


class Unwilling(OutsideFault):
    """A server answered an update with a response code other than NOERROR."""

    def __init__(self, message: str, remedy: str, rcode: int) -> None:
        super().__init__(message, remedy)
        self.rcode = rcode


async def send_update(asker: Asker, server: str, zone: Zone, wanted: Zone, key: Key | None) -> None:
    """Asks ``server`` to turn ``zone`` into ``wanted``, in several messages where one does not hold it.

    Raises :class:`OutsideFault` when it refuses or does not answer; the words say how much was done before that.
    """
    messages = update_messages(zone, wanted, lambda: asker.random.getrandbits(16))
    for number, message in enumerate(messages):
        try:
            await send_message(asker, server, zone.origin, message, key)
        except OutsideFault as fault:
            which = ""
            if isinstance(fault, Unwilling) and fault.rcode not in _OF_THE_ZONE:
                refused = await _refused_records(asker, server, zone, message, key) if fault.rcode == _REFUSED else []
                which = _which(message, refused)
            done = _how_far(number, len(messages), isinstance(fault, Unwilling))
            raise OutsideFault(f"{fault.message}{which}{done}", fault.remedy) from fault


def _which(message: Message, refused: list[Record]) -> str:
    """The records that the server will not have changed. Where it does not tell them by name and type, those that servers are particular
    about, and the types of all."""
    if refused:
        return f": it will not have {_named(refused)} changed{' (and perhaps more)' if len(refused) == _MOST_NAMED else ''}"
    kinds = sorted({type_text(record.rtype) for record in message.authority} - {"SOA"})
    likely = [record for record in distinct_changes(message) if record.rtype in _PARTICULAR]
    suspected = f"; servers are particular about {_named(likely[:_MOST_NAMED])}{' …' if likely[_MOST_NAMED:] else ''}" if likely else ""
    return f" (the change is of {', '.join(kinds)}{suspected})" if kinds else ""


def _named(records: Sequence[Record]) -> str:
    return ", ".join(f"{name_text(record.name)} {type_text(record.rtype)}" for record in records)


def _how_far(number: int, count: int, refused: bool) -> str:
    """A message is carried out whole or not at all (RFC 2136 s3.7); of one that was not answered nobody knows."""
    if count == 1:
        return "; nothing of this change was made" if refused else ""
    unknown = "" if refused else ", of the next it is not known"
    return f"; {number} of {count} messages were carried out, each whole{unknown}: the same command goes on from there"


async def _refused_records(asker: Asker, server: str, zone: Zone, message: Message, key: Key | None) -> list[Record]:
    """Which records of a refused message the server will not have changed: asked with updates that change nothing, in halves."""
    found: list[Record] = []

    async def look_into(records: tuple[Record, ...]) -> None:
        if not records or len(found) >= _MOST_NAMED or not await refuses(records):
            return
        if len(records) == 1:
            found.append(records[0])
            return
        middle = len(records) // 2
        await look_into(records[:middle])
        await look_into(records[middle:])

    async def refuses(records: tuple[Record, ...]) -> bool:
        probes = tuple(without_effect(zone, record) for record in records)
        try:
            await send_message(asker, server, zone.origin, replace_changes(message, asker.random.getrandbits(16), probes), key)
        except Unwilling as fault:
            return fault.rcode == _REFUSED
        return False

    with contextlib.suppress(OutsideFault):
        await look_into(distinct_changes(message))
    return found


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
        raise Unwilling(f"{what}: {rcode_text(answer.rcode)}", _remedy(answer.rcode, key), answer.rcode)


def _remedy(rcode: int, key: Key | None) -> str:
    if rcode == _CHANGED:
        return "somebody changed the zone since it was read: read it again"
    if rcode == _NOT_AUTHORITATIVE:
        return "the zone does not exist there yet: create it, or the key may not change it"
    return "the key may not change this zone" if key else "give a key (TSIG) that may change the zone"
