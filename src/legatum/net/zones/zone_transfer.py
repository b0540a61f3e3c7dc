"""Zone transfers (AXFR, RFC 5936) over TCP, signed or not."""

import asyncio
from collections.abc import AsyncGenerator, AsyncIterator, Callable, Iterator
from contextlib import aclosing, contextmanager

from legatum.core.records.name import Name, is_under, name_text
from legatum.core.records.rrset import rrset
from legatum.core.records.rrtype import AXFR, IXFR, SOA
from legatum.core.running.collecting import no_collecting
from legatum.core.running.fault import OutsideFault
from legatum.core.running.progress import tally
from legatum.core.zones.zone import Zone
from legatum.net.asking.asker import DNS_PORT, Asker
from legatum.net.asking.route import Unreachable
from legatum.net.asking.tcp import Stream
from legatum.net.zones.signed import check_signed
from legatum.wire.codes import rcode_text
from legatum.wire.incoming import IncomingZone
from legatum.wire.malformed import Malformed
from legatum.wire.message import (
    IN,
    Answers,
    Message,
    Question,
    Record,
    decode,
    encode,
    encode_question,
    records,
    rrsets,
)
from legatum.wire.tsig import Exchange, TsigKey

_STRETCH, _LEAST = 30.0, 100  # seconds, and octets a second that come in each of them at least
_BOUNDED = "transfer_time, transfer_megabytes and transfer_records in [network] say how much may come"
_AT_ONCE = 8  # from one server: BIND sends ten, to all the world together, and answers others with a failure


async def transfer(asker: Asker, server: str, domain: Name, key: TsigKey | None = None) -> Zone:
    """The whole zone as ``server`` serves it. Raises :class:`OutsideFault` for anything but a complete transfer."""
    what = f"transfer of {name_text(domain)} from {server}"
    coming, exchange, counted = IncomingZone(domain), Exchange(key) if key else None, tally()
    counted.begin(what, unit="records")
    async with asker.places(server, _AT_ONCE):
        with _faults(what, lambda: max(coming.count - 1, 0)), no_collecting():
            async for message in _messages(asker, server, domain, exchange, None, coming.read):
                counted.done = coming.count
                if message.rcode:
                    raise _refused(what, message, key)
                if coming.misplaced:
                    raise OutsideFault(
                        f"{what}: does not begin with the zone's SOA", "is this server authoritative for it?"
                    )
                if coming.opening is None:
                    raise _empty(what)
                if coming.closing is not None:
                    _check_signed(what, exchange)
                    _check_closed(what, coming.opening.rdatas[0], coming.closing.rdatas[0])
                    return coming.zone()
    raise AssertionError("a transfer ends by its closing SOA or by a fault")


async def transfer_changes(asker: Asker, server: str, zone: Zone, key: TsigKey | None = None) -> tuple[Zone, str]:
    """The zone as it is now, from an earlier copy (IXFR, RFC 1995 s4), and how it came: nothing new, changes, or whole
    after all.

    Raises :class:`OutsideFault`, also where the changes do not fit the copy.
    """
    what = f"changes of {name_text(zone.origin)} from {server}"
    async with asker.places(server, _AT_ONCE):
        opening, collected = await _collected(asker, server, zone.origin, key, what, zone)
    if not collected:
        return zone, "incremental transfer: nothing has changed"
    if collected[0].rtype != SOA:
        return _whole(zone.origin, opening, collected), "zone transfer: the server has no record of what changed"
    count = sum(each.rtype == SOA for each in collected) // 2
    changed = _with_changes(what, zone, collected)
    if changed.soa_rrset.rdatas[0] != opening.rdata:
        raise OutsideFault(
            f"{what}: they do not lead to the serial that was promised", "gather it whole, without --since"
        )
    return changed, f"incremental transfer: {count} change{'s' if count > 1 else ''}"


def _with_changes(what: str, zone: Zone, records: list[Record]) -> Zone:
    """Sequences of: old SOA, what goes, new SOA, what comes."""
    held = {(each.name, each.rtype): (each.ttl, set(each.rdatas)) for each in zone.unsorted}
    coming = True
    for each in records:
        key = (each.name, each.rtype)
        if each.rtype == SOA and each.name != zone.origin:
            raise OutsideFault(f"{what}: an SOA record elsewhere than at the apex", "gather it whole, without --since")
        if each.rtype == SOA:
            coming = not coming
            if not coming and each.rdata not in held[key][1]:
                raise OutsideFault(
                    f"{what}: they begin at another version than the copy", "gather it whole, without --since"
                )
        ttl, rdatas = held.get(key, (each.ttl, set()))
        if coming:
            held[key] = (each.ttl, rdatas | {each.rdata})
        elif each.rdata not in rdatas:
            raise OutsideFault(f"{what}: a record goes that the copy does not have", "gather it whole, without --since")
        else:
            held[key] = (ttl, rdatas - {each.rdata})
    return Zone(zone.origin, (rrset(*key, ttl, rdatas) for key, (ttl, rdatas) in held.items() if rdatas))


async def _collected(
    asker: Asker, server: str, domain: Name, key: TsigKey | None, what: str, since: Zone
) -> tuple[Record, list[Record]]:
    """The SOA that a transfer begins with, and the records between it and its end."""
    collected: list[Record] = []
    opening: Record | None = None
    versions, exchange = 0, Exchange(key) if key else None  # as many that go as come: the next one closes the transfer
    with _faults(what, lambda: len(collected)):
        async for message in _messages(asker, server, domain, exchange, since):
            if message.rcode:
                raise _refused(what, message, key)
            for record in message.answer:
                if opening is None:
                    if record.rtype != SOA or record.name != domain:
                        raise OutsideFault(
                            f"{what}: does not begin with the zone's SOA", "is this server authoritative for it?"
                        )
                    opening = record
                elif record.rtype == SOA and record.name == domain and collected and not versions:
                    _check_signed(what, exchange)
                    _check_closed(what, opening.rdata, record.rdata)
                    return opening, collected
                elif (
                    record.rtype == SOA
                    and record.name == domain
                    and versions
                    and not versions % 2
                    and record.rdata == opening.rdata
                ):
                    _check_signed(what, exchange)
                    return opening, collected
                else:
                    versions += record.rtype == SOA and record.name == domain
                    collected.append(record)
            if opening is None:
                raise _empty(what)
            if not collected:
                _check_signed(what, exchange)
                return opening, collected  # one SOA alone: the copy is what is served (RFC 1995 s2)
    raise AssertionError("a transfer ends by its closing SOA or by a fault")


@contextmanager
def _faults(what: str, received: Callable[[], int]) -> Iterator[None]:
    """What goes wrong on the way, in words for the user."""
    try:
        yield
    except TimeoutError:
        raise OutsideFault(f"{what}: no answer in time", "is TCP port 53 open between here and the server?") from None
    except ConnectionRefusedError:
        raise OutsideFault(f"{what}: connection refused", "is the server up, and TCP allowed?") from None
    except (asyncio.IncompleteReadError, ConnectionError):
        raise OutsideFault(f"{what}: cut off after {received()} records", "nothing was kept; try again") from None
    except Unreachable as error:
        raise OutsideFault(f"{what}: {error}", "add the address to the map, or take the map away") from None
    except OSError as error:
        raise OutsideFault(f"{what}: {error.strerror or error}", "is there a route to that address?") from None
    except Malformed as error:
        raise OutsideFault(
            f"{what}: the server sent something that is no DNS message: {error}", "nothing was kept"
        ) from error


async def _messages(
    asker: Asker,
    server: str,
    domain: Name,
    exchange: Exchange | None,
    since: Zone | None,
    answers: Answers | None = None,
) -> AsyncIterator[Message]:
    ident = asker.random.getrandbits(16)
    if since is None:
        query = encode_question(ident, domain, AXFR, size=0)
    else:
        query = encode(Message(ident, 0, 0, (Question(domain, IXFR),), (), records((since.soa_rrset,))))
    async with asker.clock.steady(), aclosing(_answers(asker, server, query, exchange)) as coming:
        async for received in coming:
            message = decode(received, answers=answers)
            if received[:2] != query[:2]:
                raise Malformed("an answer to another question")
            check_signed(server, exchange, received, message, asker.clock.now(), multi=True)
            yield message


class _Course:
    """What came of a transfer so far, held against its bounds. Raises :class:`OutsideFault`."""

    def __init__(self, asker: Asker) -> None:
        self._bounds, self._now = asker.patience.transfer, asyncio.get_running_loop().time
        self._begun = self._since = self._now()
        self._octets = self._before = self._records = 0

    def take(self, received: bytes) -> None:
        now = self._now()
        self._octets += len(received)
        self._records += int.from_bytes(received[6:8])
        if now - self._begun > self._bounds.seconds:
            raise OutsideFault(f"the transfer had not ended after {self._bounds.seconds:.0f} s", _BOUNDED)
        if self._octets > self._bounds.octets or self._records > self._bounds.records:
            raise OutsideFault(
                f"the transfer is larger than {self._bounds.octets} octets or {self._bounds.records} records", _BOUNDED
            )
        if now - self._since > _STRETCH:
            if self._octets - self._before < _LEAST * (now - self._since):
                raise OutsideFault(
                    f"the transfer trickles: {self._octets} octets in {now - self._begun:.0f} s", "is that server well?"
                )
            self._since, self._before = now, self._octets


async def _answers(asker: Asker, server: str, query: bytes, exchange: Exchange | None) -> AsyncGenerator[bytes, None]:
    """Whatever comes over TCP. A server that takes in its configuration anew drops connections that it has just
    accepted: one that closes before the first byte is asked once more."""
    begun = False
    wire = exchange.sign_request(query, asker.clock.now()) if exchange else query
    for last in (False, True):
        try:
            async with Stream(asker.route.endpoint(server, DNS_PORT), asker.patience.timeout * 5) as stream:
                stream.send(wire)
                course = _Course(asker)
                while True:
                    received = await stream.receive()
                    begun = True
                    course.take(received)
                    yield received
        except (asyncio.IncompleteReadError, ConnectionResetError):
            if begun or last:
                raise


def _refused(what: str, message: Message, key: TsigKey | None) -> OutsideFault:
    words = rcode_text(message.rcode)
    remedy = (
        "the server does not take this key, or does not serve the zone"
        if key
        else "allow this address or give a key (TSIG)"
    )
    return OutsideFault(f"{what}: {words}", remedy)


def _empty(what: str) -> OutsideFault:
    return OutsideFault(
        f"{what}: an answer without records", "transfers are not allowed here, or the zone is not served"
    )


def _check_signed(what: str, exchange: Exchange | None) -> None:
    """The last message must be signed (RFC 8945 s5.3.1): what follows the last signature may be anybody's."""
    if exchange is not None and exchange.unsigned:
        raise OutsideFault(f"{what}: the end of it is not signed", "do not trust this answer; nothing was kept")


def _check_closed(what: str, opening: bytes, closing: bytes) -> None:
    if opening != closing:
        raise OutsideFault(f"{what}: the zone changed while it was sent", "try again")


def _whole(domain: Name, opening: Record, collected: list[Record]) -> Zone:
    inside = (record for record in [opening, *collected] if record.rclass == IN and is_under(record.name, domain))
    return Zone(domain, rrsets(inside))
