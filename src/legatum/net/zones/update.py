"""Sending a dynamic update (RFC 2136) over TCP. NOERROR proves nothing: whoever calls this reads back.

An update goes on condition of the zone's SOA: whatever anybody changed since it was read, it is not carried out. A
server that refuses that condition although it serves just what was read gets other ones, on the RRsets that change:
what somebody else may have changed meanwhile is then left as it is, and nothing of his is overwritten.
"""

import asyncio
import contextlib
from collections.abc import Sequence
from enum import StrEnum
from typing import NamedTuple

from legatum.core.records.name import Name, name_text
from legatum.core.records.rrtype import ANY, SOA, type_text
from legatum.core.records.soa import serial_at_least, serial_is_newer
from legatum.core.running.fault import OutsideFault
from legatum.core.running.progress import tally
from legatum.core.zones.particular import particulars
from legatum.core.zones.signer import beside_signer, without_signing
from legatum.core.zones.zone import Zone
from legatum.net.asking.asker import DNS_PORT, Asker
from legatum.net.asking.tcp import Stream
from legatum.net.zones.signed import check_signed
from legatum.net.zones.zone_transfer import transfer
from legatum.wire.codes import rcode_text
from legatum.wire.malformed import Malformed
from legatum.wire.message import NONE, UPDATE, Message, Question, Record, decode, encode
from legatum.wire.tsig import Exchange, TsigKey, tsig_data
from legatum.wire.update import (
    Part,
    apply_update,
    distinct_changes,
    on_sets,
    on_soa,
    replace_changes,
    update_parts,
    without_effect,
)

_SERVER_FAILURE, _NOT_IMPLEMENTED, _REFUSED, _CHANGED, _NOT_AUTHORITATIVE = 2, 4, 5, 8, 9
_OF_THE_ZONE = (_NOT_AUTHORITATIVE, _CHANGED)  # what no record of the change is to blame for
_MOST_NAMED = 3  # refused records that are looked for
_BUSY = (0.5, 1.5, 4.0)  # seconds until a server that could not carry a message out is asked again
_SMALLER = 25_000  # octets of the changes in a message that has all that they replace in it too


class Condition(StrEnum):
    """On which condition a change was made."""

    SOA = "on condition that the SOA was still the one that was read"
    SETS = "on condition that every RRset it changes was still as read, as the server's own SOA is no condition there"


class Unanswered(OutsideFault):
    """Nothing came back: the change was made, or not."""


class Unwilling(OutsideFault):
    """A server answered an update with a response code other than NOERROR."""

    def __init__(self, message: str, remedy: str, rcode: int, signed: bool = True) -> None:
        """Not ``signed``: the answer to a signed message is not signed, so that anybody on the way may have said it."""
        super().__init__(message, remedy)
        self.rcode, self.signed = rcode, signed


async def send_update(asker: Asker, server: str, zone: Zone, wanted: Zone, key: TsigKey | None) -> Condition:
    """Asks ``server`` to turn ``zone`` into ``wanted``, in several messages where one does not hold it. Where a
    condition is refused the zone is read there once more, to know whether it was met; where no answer comes, to know
    whether it was done.

    Raises :class:`OutsideFault` when it refuses or does not answer; the words say how much was done before that.
    """
    update = _Update(asker, server, wanted, key)
    parts, state = update_parts(zone, wanted), zone
    counted = tally()
    counted.begin(f"changing {name_text(zone.origin)} at {server}", len(parts), "messages")
    for number, part in enumerate(parts):
        counted.done = number
        after = apply_update(state, part.changes)
        try:
            await update.send(state, part, on_soa(state, part, update.draw()), number, len(parts))
        except (Unwilling, Unanswered) as fault:
            if isinstance(fault, Unwilling) and fault.rcode != _CHANGED and fault.signed:
                raise
            try:
                present = await update.read()
            except OutsideFault:
                raise fault from None
            told = isinstance(fault, Unwilling) and fault.rcode == _CHANGED
            if not told and (not _as_read(present, after) or serial_is_newer(after.soa.serial, present.soa.serial)):
                raise
            if told:
                if not _as_read(present, state):
                    raise
                await update.send_on_sets(state, present)
                return Condition.SETS
        state = after
    return Condition.SOA


def _as_read(present: Zone, state: Zone) -> bool:
    """Nobody has changed anything; the server may have written a serial of its own."""
    return without_signing(present).with_serial(1) == without_signing(state).with_serial(1)


class _Update:
    """One change under way."""

    def __init__(self, asker: Asker, server: str, wanted: Zone, key: TsigKey | None) -> None:
        self._asker, self._server, self._wanted, self._key = asker, server, wanted, key

    def draw(self) -> int:
        return self._asker.random.getrandbits(16)

    async def read(self) -> Zone:
        return await transfer(self._asker, self._server, self._wanted.origin, self._key)

    async def send_on_sets(self, read: Zone, present: Zone) -> None:
        """What is left to do of the change from ``read``, on from ``present``: what the server's signer has made
        meanwhile stays."""
        keys = {(each.name, each.rtype) for each in (*read.unsorted, *self._wanted.unsorted)}
        meant = {key for key in keys if read.get(*key) != self._wanted.get(*key)}
        wanted = beside_signer(self._wanted, present, meant)
        if not serial_is_newer(wanted.soa.serial, present.soa.serial):
            wanted = wanted.with_serial(serial_at_least(present.soa.serial, wanted.soa.serial))
        parts, state = update_parts(present, wanted, _SMALLER), present
        for number, part in enumerate(parts):
            try:
                await self.send(state, part, on_sets(state, part, self.draw()), number, len(parts))
            except Unwilling as fault:
                if fault.rcode != _CHANGED or not _as_read(await self.read(), state):
                    raise
                raise OutsideFault(
                    f"{fault.message.partition('; ')[0]}: it refuses every condition, although it serves "
                    "just what was read"
                    f"{_how_far(number, len(parts), True)}",
                    "without a condition somebody else's change could be lost: make it by hand there, or ask "
                    "who runs the server",
                ) from fault
            state = apply_update(state, part.changes)

    async def send(self, state: Zone, part: Part, message: Message, number: int, count: int) -> None:
        """One message. Raises :class:`OutsideFault` that says what is known of why not, and how far the change is."""
        try:
            await _insist(self._asker, self._server, state.origin, message, self._key)
        except Unwilling as fault:
            which, remedy = await self._explained(fault, state, part, message)
            far = _how_far(number, count, fault.signed)
            raise Unwilling(f"{fault.message}{which}{far}", remedy, fault.rcode, fault.signed) from fault
        except OutsideFault as fault:
            raise type(fault)(f"{fault.message}{_how_far(number, count, False)}", fault.remedy) from fault

    async def _explained(self, fault: Unwilling, state: Zone, part: Part, message: Message) -> tuple[str, str]:
        """Which records the server will not have, and why, as far as that can be known; and what to do."""
        if fault.rcode in _OF_THE_ZONE:
            return "", fault.remedy
        records = distinct_changes(part.changes)
        refused = await self._refused(state, message, records) if fault.rcode == _REFUSED else []
        if refused:
            more = " (and perhaps more)" if len(refused) == _MOST_NAMED else ""
            of_all = len(refused) in (len(records), _MOST_NAMED)
            remedy = (
                "the key may not change this zone, or not these names and types"
                if of_all
                else "the key may not change these"
            )
            return f": it will not have {_named(refused)} changed{more}", fault.remedy if self._key is None else remedy
        kinds = sorted({type_text(record.rtype) for record in records})
        which = f" (the change is of {', '.join(kinds)})" if kinds else ""
        known = particulars(apply_update(state, part.changes), part.keys) or particulars(self._wanted, part.keys)
        if fault.rcode == _REFUSED and self._key is not None:
            remedy = (
                "the key may change these names and types: the server refuses what the records say; its log says more"
            )
        else:
            remedy = fault.remedy
        return which + "".join(f"; {each}" for each in known), remedy

    async def _refused(self, state: Zone, message: Message, records: tuple[Record, ...]) -> list[Record]:
        """Which records of a refused message the server will not have changed: asked with updates that change nothing,
        in halves."""
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
            probes = tuple(without_effect(state, record) for record in records)
            try:
                await send_message(
                    self._asker, self._server, state.origin, replace_changes(message, self.draw(), probes), self._key
                )
            except Unwilling as fault:
                return fault.rcode == _REFUSED
            return False

        with contextlib.suppress(OutsideFault):
            await look_into(records)
        return found


def _named(records: Sequence[Record]) -> str:
    return ", ".join(f"{name_text(record.name)} {type_text(record.rtype)}" for record in records)


def _how_far(number: int, count: int, refused: bool) -> str:
    """A message is carried out whole or not at all (RFC 2136 s3.7); of one that was not answered nobody knows."""
    if count == 1:
        return "; nothing of this change was made" if refused else ""
    unknown = "" if refused else ", of the next it is not known"
    return f"; {number} of {count} messages were carried out, each whole{unknown}: the same command goes on from there"


async def send_records(
    asker: Asker, server: str, origin: Name, changes: tuple[Record, ...], key: TsigKey | None
) -> None:
    """Sends an update section as it is, without a prerequisite: it must come to the same if it is carried out twice."""
    message = Message(asker.random.getrandbits(16), UPDATE << 11, 0, (Question(origin, 6),), (), changes)
    await _insist(asker, server, origin, message, key)


async def _insist(asker: Asker, server: str, origin: Name, message: Message, key: TsigKey | None) -> None:
    """A server whose database is held by another change answers SERVFAIL and has done nothing (RFC 2136 s3.4.2.2,
    s3.8): it is asked again. Safe where the message has conditions, or comes to the same: what was carried out all the
    same is not carried out twice."""
    for pause in _BUSY:
        try:
            return await send_message(asker, server, origin, message, key)
        except Unwilling as fault:
            if fault.rcode != _SERVER_FAILURE:
                raise
            await asyncio.sleep(pause)
    return await send_message(asker, server, origin, message, key)


async def send_message(asker: Asker, server: str, origin: Name, message: Message, key: TsigKey | None) -> None:
    """One signed UPDATE and its answer. Raises :class:`OutsideFault`."""
    async with asker.clock.steady():
        answer = await _exchange(asker, server, origin, message, key)
    if answer.rcode:
        signed = key is None or answer.tsig_at is not None
        unsigned = "" if signed else ", in an answer that is not signed, as anybody on the way could send it"
        said = f"update of {name_text(origin)} at {server}: {rcode_text(answer.rcode)}{unsigned}"
        raise Unwilling(said, _remedy(answer.rcode, key), answer.rcode, signed)


class Probed(NamedTuple):
    """What a server said to an update that changes nothing. ``rcode``, and whether the answer is ``signed``; ``ahead``:
    by how many seconds the clock that signed it is ahead of this one, None where nothing was signed."""

    rcode: int
    signed: bool
    ahead: int | None


async def probe_update(asker: Asker, server: str, origin: Name, key: TsigKey | None) -> Probed:
    """An update without a change, on the condition that the apex of the zone is not in use (RFC 2136 s2.4.5), which
    cannot be true: who takes updates with the key answers YXDOMAIN. Raises :class:`OutsideFault`."""
    never = Record(origin, ANY, NONE, 0, b"")
    message = Message(asker.random.getrandbits(16), UPDATE << 11, 0, (Question(origin, SOA),), (never,))
    async with asker.clock.steady():
        answer = await _exchange(asker, server, origin, message, key)
        ahead = (
            tsig_data(answer.additional[-1]).time_signed - round(asker.clock.now())
            if answer.tsig_at is not None
            else None
        )
    return Probed(answer.rcode, answer.tsig_at is not None, ahead)


async def _exchange(asker: Asker, server: str, origin: Name, message: Message, key: TsigKey | None) -> Message:
    """The answer to one UPDATE, its signature checked. Raises :class:`OutsideFault`."""
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
        raise Unanswered(
            f"{what}: no answer in time", "it may or may not have been done: look before trying again"
        ) from None
    except asyncio.IncompleteReadError:
        raise Unanswered(
            f"{what}: the connection closed before the answer",
            "it may or may not have been done: look before trying again",
        ) from None
    except Malformed as error:
        raise OutsideFault(f"{what}: the answer is no DNS message: {error}", "is that a DNS server?") from error
    except OSError as error:
        raise OutsideFault(f"{what}: {error.strerror or error}", "is the server up, and TCP allowed?") from None
    check_signed(server, exchange, received, answer, asker.clock.now())
    return answer


def _remedy(rcode: int, key: TsigKey | None) -> str:
    if rcode == _CHANGED:
        return "somebody changed the zone since it was read: read it again, with the same command"
    if rcode == _NOT_AUTHORITATIVE:
        return "the zone does not exist there yet: create it, or the key may not change it"
    if rcode == _NOT_IMPLEMENTED:
        return "this server takes no dynamic updates: is it the primary, and are updates allowed there?"
    if rcode == _REFUSED:
        return "the key may not change this zone" if key else "give a key (TSIG) that may change the zone"
    return "the server could not carry it out: its log says why"
