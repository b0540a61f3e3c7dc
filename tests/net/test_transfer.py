"""Transfers and updates with servers that cut off, change their mind, lie or say nothing: a clear fault, nothing half
kept."""

import asyncio
import struct
from collections.abc import Awaitable, Callable
from contextlib import nullcontext

import pytest

from legatum.core.records.name import parse_name
from legatum.core.records.rrset import RRset, rrset
from legatum.core.records.rrtype import AXFR, NS, NSEC, SOA, A
from legatum.core.records.soa import SoaFields
from legatum.core.running.fault import OutsideFault
from legatum.core.zones.zone import Zone
from legatum.net.asking.asker import Asker, Patience, TransferBounds
from legatum.net.asking.route import Endpoint, Route
from legatum.net.clock import SystemClock
from legatum.net.zones.update import send_update
from legatum.net.zones.zone_transfer import transfer, transfer_changes
from legatum.wire.message import AA, QR, Message, Record, decode, encode, records
from legatum.wire.tsig import Exchange, TsigKey

ORIGIN = parse_name("kilnandclay.example.")
KEY = TsigKey(parse_name("quillmoor.key.test."), "hmac-sha256", b"k" * 32)


def soa(serial: int) -> RRset:
    return RRset(ORIGIN, SOA, 60, (SoaFields(ORIGIN, ORIGIN, serial, 1, 2, 3, 4).rdata(),))


HOSTS = [
    rrset(parse_name(f"host{number}.kilnandclay.example."), A, 60, [bytes((198, 51, 100, number))])
    for number in range(1, 9)
]
ZONE = Zone(ORIGIN, [soa(7), rrset(ORIGIN, NS, 60, [parse_name("ns1.alder.test.")]), *HOSTS])
Answers = Callable[[bytes], list[bytes]]


async def serve(answers: Answers, then: str, work: Callable[[Asker], Awaitable[None]]) -> None:
    """One TCP server that gives these answers to each request, and then closes, trickles or stays silent."""

    async def session(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        (length,) = struct.unpack("!H", await reader.readexactly(2))
        for answer in answers(await reader.readexactly(length)):
            writer.write(struct.pack("!H", len(answer)) + answer)
        if then == "half":
            writer.write(struct.pack("!H", 500) + b"x" * 9)
        if then in ("close", "half"):
            writer.close()

    server = await asyncio.start_server(session, "127.0.0.1", 0)
    asker = Asker(
        Route({"192.0.2.1": Endpoint("127.0.0.1", server.sockets[0].getsockname()[1])}), SystemClock(), Patience(0.1, 1)
    )
    try:
        await work(asker)
    finally:
        asker.close()
        server.close()


def message(request: bytes, *content: Record, rcode: int = 0) -> bytes:
    asked = decode(request)
    return encode(Message(asked.id, QR | AA, rcode, asked.questions, content))


def in_parts(*parts: tuple[Record, ...]) -> Answers:
    return lambda request: [message(request, *part) for part in parts]


OPENING, REST = records([soa(7)]), tuple(record for record in records(ZONE) if record.rtype != SOA)


def fetched(answers: Answers, then: str = "close", key: TsigKey | None = None) -> Zone:
    found: list[Zone] = []

    async def work(asker: Asker) -> None:
        found.append(await transfer(asker, "192.0.2.1", ORIGIN, key))

    asyncio.run(serve(answers, then, work))
    return found[0]


@pytest.mark.parametrize("cut", range(1, 9, 3))
def test_a_zone_in_one_message_or_many_is_the_same(cut: int) -> None:
    assert fetched(in_parts((*OPENING, *REST, *OPENING))) == ZONE
    assert fetched(in_parts(OPENING, REST[:cut], REST[cut:], OPENING)) == ZONE
    outside = Record(parse_name("www.other.test."), A, 1, 60, b"\1\2\3\4")
    assert fetched(in_parts((*OPENING, outside, *REST, *OPENING))) == ZONE


@pytest.mark.parametrize(
    ("answers", "then", "says"),
    [
        (in_parts((*OPENING, *REST[:3])), "close", "cut off after 3 records"),
        (in_parts((*OPENING, *REST[:3])), "half", "cut off after 3 records"),
        (in_parts((*OPENING, *REST[:3])), "wait", "no answer in time"),
        (in_parts((*OPENING, *REST, *records([soa(8)]))), "close", "changed while it was sent"),
        (in_parts(REST), "close", "does not begin with the zone's SOA"),
        (in_parts(()), "close", "without records"),
        (lambda request: [message(request, rcode=5)], "close", "refused"),
        (lambda request: [message(request, rcode=9)], "close", "not authoritative"),
        (lambda request: [b"\0\1" + message(request, *OPENING)[2:]], "close", "another question"),
        (lambda request: [message(request, *OPENING)[:-3]], "close", "no DNS message"),
        (lambda _: [], "close", "cut off after 0 records"),
        (lambda _: [], "wait", "no answer in time"),
    ],
)
def test_anything_but_a_whole_transfer_is_a_fault(answers: Answers, then: str, says: str) -> None:
    with pytest.raises(OutsideFault, match=says):
        fetched(answers, then)


@pytest.mark.parametrize(
    ("bounds", "says"),
    [
        (TransferBounds(records=4), "larger than 2147483648 octets or 4 records"),
        (TransferBounds(octets=100), "larger than 100 octets"),
        (TransferBounds(seconds=0.0), "had not ended after 0 s"),
    ],
)
def test_a_transfer_ends_where_its_bounds_are(bounds: TransferBounds, says: str) -> None:
    def parts(request: bytes) -> list[bytes]:
        return [message(request, *OPENING), *(message(request, each) for each in REST)]

    async def ask(asker: Asker) -> None:
        asker.patience = asker.patience._replace(transfer=bounds)
        await transfer(asker, "192.0.2.1", ORIGIN)

    with pytest.raises(OutsideFault, match=says) as raised:
        asyncio.run(serve(parts, "wait", ask))
    assert "transfer_" in raised.value.remedy


@pytest.mark.parametrize(("first", "asked"), [((), 2), (OPENING, 1)])
def test_only_a_connection_that_is_dropped_before_the_first_byte_is_made_once_more(
    first: tuple[Record, ...], asked: int
) -> None:
    sessions: list[bytes] = []

    def answers(request: bytes) -> list[bytes]:
        sessions.append(request)
        whole = message(request, *OPENING, *REST, *OPENING)
        return [whole] if len(sessions) > 1 else [message(request, *first)] if first else []

    if first:
        with pytest.raises(OutsideFault, match="cut off"):
            fetched(answers)
    else:
        assert fetched(answers) == ZONE
    assert len(sessions) == asked


def test_few_zones_are_fetched_from_a_server_at_a_time() -> None:
    """BIND answers more than ten with a failure: those that wait for their turn are fetched all the same."""
    under_way: list[int] = [0]

    async def session(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        under_way.append(under_way[-1] + 1)
        (length,) = struct.unpack("!H", await reader.readexactly(2))
        request = await reader.readexactly(length)
        await asyncio.sleep(0.01)
        answer = message(request, *OPENING, *REST, *OPENING, rcode=2 if under_way[-1] > 10 else 0)
        under_way.append(under_way[-1] - 1)
        writer.write(struct.pack("!H", len(answer)) + answer)
        writer.close()

    async def work() -> None:
        server = await asyncio.start_server(session, "127.0.0.1", 0)
        asker = Asker(Route({"192.0.2.1": Endpoint("127.0.0.1", server.sockets[0].getsockname()[1])}), SystemClock())
        assert await asyncio.gather(*(transfer(asker, "192.0.2.1", ORIGIN) for _ in range(40))) == [ZONE] * 40
        asker.close()
        server.close()

    asyncio.run(work())
    assert 1 < max(under_way) <= 10


def signed(*parts: tuple[Record, ...], gap: bool = False, key: TsigKey = KEY, last: bool = True) -> Answers:
    """Each message signed in the chain; with ``gap`` only the first and the last, or without ``last`` the first
    alone."""

    def answers(request: bytes) -> list[bytes]:
        exchange, sent = Exchange(key), []
        exchange.check_request(request, decode(request), SystemClock().now())
        for number, part in enumerate(parts):
            wire = message(request, *part)
            if gap and 0 < number < len(parts) - last:
                exchange._running.update(wire)
                sent.append(wire)
            else:
                sent.append(exchange.sign_answer(wire, SystemClock().now(), multi=True))
        return sent

    return answers


def test_signatures_are_followed_through_a_transfer() -> None:
    assert fetched(signed(OPENING, REST[:4], REST[4:], OPENING), key=KEY) == ZONE
    assert fetched(signed(OPENING, REST[:4], REST[4:], OPENING, gap=True), key=KEY) == ZONE
    with pytest.raises(OutsideFault, match="not signed"):
        fetched(in_parts((*OPENING, *REST, *OPENING)), key=KEY)
    with pytest.raises(OutsideFault, match="signature does not hold"):
        fetched(tampered, key=KEY)
    forged = Record(parse_name("www.kilnandclay.example."), A, 1, 60, b"\xcb\x00\x71\x42")
    with pytest.raises(OutsideFault, match="the end of it is not signed"):
        fetched(signed(OPENING, REST, (forged, *OPENING), gap=True, last=False), key=KEY)
    between = [
        (record,)
        for record in (
            *REST,
            *(Record(parse_name(f"n{n}.kilnandclay.example."), A, 1, 60, b"\1\2\3\4") for n in range(99)),
        )
    ]
    assert len(fetched(signed(OPENING, *between[:99], OPENING, gap=True), key=KEY)) > 90
    with pytest.raises(OutsideFault, match="more than 99 messages in a row"):
        fetched(signed(OPENING, *between[:100], OPENING, gap=True), key=KEY)


def tampered(request: bytes) -> list[bytes]:
    sent = signed(OPENING, REST, OPENING)(request)
    at = sent[1].index(b"\xc6\x33\x64\x01")
    return [sent[0], sent[1][: at + 3] + b"\x63" + sent[1][at + 4 :], sent[2]]


@pytest.mark.parametrize(
    ("answers", "then", "says", "remedy"),
    [
        (lambda request: [message(request, rcode=8)], "close", "RRset does not exist", "read it again"),
        (lambda request: [message(request, rcode=5)], "close", "refused", "may not change|give a key"),
        (lambda _: [], "close", "closed before the answer", "look before trying again"),
        (lambda _: [], "wait", "no answer in time", "look before trying again"),
        (lambda request: [b"\0\1" + message(request)[2:]], "close", "another message", ""),
        (lambda _: [b"nonsense"], "close", "no DNS message", ""),
    ],
)
def test_an_update_that_is_not_taken_says_so(answers: Answers, then: str, says: str, remedy: str) -> None:
    async def work(asker: Asker) -> None:
        await send_update(asker, "192.0.2.1", ZONE, ZONE.with_serial(8), None)

    with pytest.raises(OutsideFault, match=says) as seen:
        asyncio.run(serve(answers, then, work))
    assert any(word in seen.value.remedy for word in remedy.split("|"))
    assert ("nothing of this change was made" in seen.value.message) == (
        "RRset" in says or says == "refused"
    )  # else nobody knows


def test_an_update_without_an_answer_is_looked_for() -> None:
    """Carried out or not: the zone tells, and its serial where nothing else changes."""
    for contents, done in ((ZONE.with_serial(8), True), (ZONE, False)):

        def answers(request: bytes, contents: Zone = contents) -> list[bytes]:
            opening = tuple(records([contents.soa_rrset]))
            return in_parts((*opening, *REST, *opening))(request) if decode(request).questions[0].rtype == AXFR else []

        async def work(asker: Asker) -> None:
            await send_update(asker, "192.0.2.1", ZONE, ZONE.with_serial(8), None)

        with nullcontext() if done else pytest.raises(OutsideFault, match="closed before the answer"):
            asyncio.run(serve(answers, "close", work))


def test_what_a_signer_made_meanwhile_is_left_alone() -> None:
    """A zone just made is signed between its reading and the update: the first condition fails, and the change goes on
    from there."""
    proof, host = (
        rrset(ORIGIN, NSEC, 60, [ORIGIN + b"\0\1\2"]),
        rrset(parse_name("new.kilnandclay.example."), A, 60, [b"\xc6\x33\x64\x09"]),
    )
    signed = Zone(ORIGIN, [*ZONE.without([(ORIGIN, SOA)]).unsorted, soa(9), proof])
    updates: list[Message] = []

    def answers(request: bytes) -> list[bytes]:
        asked = decode(request)
        if asked.questions[0].rtype == AXFR:
            opening = tuple(records([soa(9)]))
            return in_parts((*opening, *(each for each in records(signed) if each.rtype != SOA), *opening))(request)
        updates.append(asked)
        return [message(request, rcode=8 if len(updates) == 1 else 0)]

    async def work(asker: Asker) -> None:
        await send_update(asker, "192.0.2.1", ZONE, ZONE.with_rrsets([host]).with_serial(8), None)

    asyncio.run(serve(answers, "close", work))
    assert [{each.rtype for each in update.authority} for update in updates] == [{A, SOA}] * 2


def test_a_server_that_is_busy_is_asked_again_and_one_that_stays_so_is_told_of() -> None:
    """A database that another change holds: SERVFAIL, and nothing was done."""
    for failures, works in ((3, True), (4, False)):
        seen: list[bytes] = []

        def answers(request: bytes, seen: list[bytes] = seen, failures: int = failures) -> list[bytes]:
            seen.append(request)
            return [message(request, rcode=2 if len(seen) <= failures else 0)]

        async def work(asker: Asker) -> None:
            await send_update(asker, "192.0.2.1", ZONE, ZONE.with_serial(8), None)

        with (
            nullcontext()
            if works
            else pytest.raises(OutsideFault, match=r"server failure.*nothing of this change was made")
        ):
            asyncio.run(serve(answers, "close", work))
        assert len(seen) == 4 and len(set(seen)) == 1 and len(decode(seen[0]).answer) > 0  # each with its conditions


def test_nobody_there() -> None:
    async def work() -> None:
        asker = Asker(Route({"192.0.2.1": Endpoint("127.0.0.1", 1)}), SystemClock(), Patience(0.1, 1))
        try:
            with pytest.raises(OutsideFault, match="connection refused"):
                await transfer(asker, "192.0.2.1", ORIGIN)
            with pytest.raises(OutsideFault, match="not in the address map"):
                await transfer(asker, "192.0.2.2", ORIGIN)
            with pytest.raises(OutsideFault, match="not in the address map"):
                await send_update(asker, "192.0.2.2", ZONE, ZONE, None)
        finally:
            asker.close()

    asyncio.run(work())


def changes(work: list[Record], then: str = "stay") -> tuple[Zone, str]:
    """What ``transfer_changes`` makes of an answer with these records."""
    found: list[tuple[Zone, str]] = []

    async def ask(asker: Asker) -> None:
        found.append(await transfer_changes(asker, "192.0.2.1", ZONE))

    asyncio.run(serve(lambda request: [message(request, *work)], then, ask))
    return found[0]


def one(rrset_: RRset) -> Record:
    return records([rrset_])[0]


NEW = RRset(HOSTS[0].name, A, 60, (bytes((198, 51, 100, 99)),))

ELSEWHERE = RRset(HOSTS[0].name, SOA, 60, soa(9).rdatas)


def test_only_what_changed_is_put_into_the_copy() -> None:
    """RFC 1995 s4: new SOA, then for each version the old SOA, what goes, the new SOA, what comes; and the new SOA
    again."""
    zone, way = changes(
        [
            one(soa(9)),
            one(soa(7)),
            one(HOSTS[0]),
            one(soa(8)),
            one(NEW),
            one(soa(8)),
            one(HOSTS[1]),
            one(soa(9)),
            one(soa(9)),
        ]
    )
    assert way == "incremental transfer: 2 changes" and zone.soa.serial == 9
    assert (
        zone.get(NEW.name, A) == NEW and zone.get(HOSTS[1].name, A) is None and zone.get(HOSTS[2].name, A) == HOSTS[2]
    )


def test_nothing_new_and_the_whole_zone_after_all() -> None:
    assert changes([one(soa(7))]) == (ZONE, "incremental transfer: nothing has changed")
    zone, way = changes([one(soa(8)), *records([ZONE.apex_ns or NEW, NEW]), one(soa(8))])
    assert way.startswith("zone transfer") and zone.soa.serial == 8 and len(zone) == 3


@pytest.mark.parametrize(
    ("work", "says"),
    [
        ([one(soa(9)), one(soa(6)), one(soa(9)), one(soa(9))], "begin at another version"),
        ([one(soa(9)), one(soa(7)), one(NEW), one(soa(9)), one(soa(9))], "a record goes that the copy does not have"),
        ([one(soa(9)), one(soa(7)), one(HOSTS[0]), one(soa(9))], "cut off"),
        (
            [one(soa(9)), one(soa(7)), one(soa(9)), one(ELSEWHERE), one(soa(9))],
            "an SOA record elsewhere than at the apex",
        ),
    ],
)
def test_changes_that_do_not_fit_are_refused(work: list[Record], says: str) -> None:
    with pytest.raises(OutsideFault, match=says):
        changes(work, "close")
