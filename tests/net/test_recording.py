"""Evidence written and read again, capture files, and the pace at which a server is asked."""

import asyncio
import json
import struct
from ipaddress import ip_address
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from legatum.core.records.name import parse_name
from legatum.core.records.rrset import RRset
from legatum.core.running.fault import BadInput
from legatum.net.asking.pace import Pace
from legatum.net.asking.reply import Reply, Transport, Trouble
from legatum.net.asking.web import WebAnswer
from legatum.net.keeping.capture import write_capture
from legatum.net.keeping.evidence import Evidence
from legatum.net.keeping.recording import Recording, Replay, StillClock, read_recording, write_recording
from legatum.wire.message import AA, QR, TC, Message, Question, encode, encode_question, records

NAME = parse_name("kilnandclay.example.")
ANSWER = RRset(NAME, 1, 60, (b"\xc6\x33\x64\x50",))


def reply(
    server: str = "198.51.100.31",
    transport: Transport = Transport.UDP,
    flags: int = 0,
    trouble: Trouble | None = None,
    **more: object,
) -> Reply:
    query = encode_question(77, NAME, 1, dnssec=True)
    answer = () if flags & TC else records([ANSWER])
    wire = b"" if trouble else encode(Message(77, QR | AA | flags, 0, (Question(NAME, 1),), answer))
    # type: ignore[arg-type]
    return Reply(server, NAME, 1, 1_900_000_000.25, 0.125, transport, 1, wire, trouble, query, **more)


def test_what_was_kept_is_what_was_heard(tmp_path: Path) -> None:
    path = tmp_path / "evidence"
    evidence = Evidence(
        [reply(), reply("2001:db8::1", trouble=Trouble.SILENT), reply(transport=Transport.TCP, cut=True)]
    )
    evidence.web["https://a/"] = WebAnswer("https://a/", 200, "application/json", b"{}\xff")
    write_recording(path, [Recording({"domain": "kilnandclay.example"}, evidence), Recording({"domain": "x"})])
    first, second = read_recording(path)
    assert (
        first.head == {"domain": "kilnandclay.example"} and second.head == {"domain": "x"} and not len(second.evidence)
    )
    for before, after in zip(evidence, first.evidence, strict=True):
        assert (before.server, before.wire, before.query, before.trouble, before.at, before.transport, before.cut) == (
            after.server, after.wire, after.query, after.trouble, after.at, after.transport, after.cut,
        )  # fmt: skip
    assert first.evidence.web == evidence.web
    assert [first.evidence.number(each) for each in first.evidence] == [1, 2, 3]


@pytest.mark.parametrize(
    "text", ["", "no", "{}", '{"schema": "other/1"}', '{"schema": "legatum.evidence/1"}\n{"reply": 1}', "[1]"]
)
def test_what_is_no_evidence_is_told_with_its_line(tmp_path: Path, text: str) -> None:
    path = tmp_path / "evidence"
    path.write_text(text)
    with pytest.raises(BadInput):
        read_recording(path)


@given(st.binary(max_size=60))
def test_evidence_with_broken_messages_is_refused(wire: bytes) -> None:
    from tempfile import TemporaryDirectory

    with TemporaryDirectory() as folder:
        path = Path(folder) / "evidence"
        write_recording(path, [Recording({}, Evidence([reply()]))])
        head, line = path.read_text().splitlines()
        entry = json.loads(line)
        entry["wire"] = wire.hex() + "!"
        path.write_text(f"{head}\n{json.dumps(entry)}\n")
        with pytest.raises(BadInput):
            read_recording(path)


def test_a_recording_answers_what_was_asked_and_nothing_else() -> None:
    async def run() -> None:
        whole = reply(transport=Transport.TCP, cut=True)
        replay = Replay(Evidence([reply(flags=TC), whole, reply("203.0.113.32")]), StillClock(5.0))
        assert await replay.ask("198.51.100.31", NAME, 1, dnssec=True) is whole
        for other in (
            await replay.ask("198.51.100.31", NAME, 1),  # without DNSSEC: another question
            await replay.ask("198.51.100.31", NAME, 2, dnssec=True),
            await replay.ask("198.51.100.31", NAME, 1, dnssec=True, tcp=True),
            await replay.ask("192.0.2.9", NAME, 1, dnssec=True),
        ):
            assert other.trouble == Trouble.SILENT and other.tries == 0
        assert replay.whom(NAME, 1) == ("198.51.100.31", "203.0.113.32") and replay.asked == 0
        replay.close()

    asyncio.run(run())


# Capture files


def internet_sum(octets: bytes) -> int:
    padded = octets + b"\0" * (len(octets) & 1)
    total = sum(struct.unpack(f"!{len(padded) // 2}H", padded))
    while total >> 16:
        total = (total & 0xFFFF) + (total >> 16)
    return total


def test_a_capture_has_packets_whose_checksums_hold(tmp_path: Path) -> None:
    path = tmp_path / "x.pcap"
    kept = [
        reply(),
        reply("2001:db8:a1::53"),
        reply(transport=Transport.TCP),
        reply("2001:db8:a1::53", Transport.TCP),
        reply(trouble=Trouble.SILENT),
    ]
    kept.append(reply("tls:192.0.2.101", Transport.TLS))
    assert write_capture(path, kept) == 11
    data = path.read_bytes()
    assert struct.unpack("!IHHiIII", data[:24]) == (0xA1B2C3D4, 2, 4, 0, 0, 65535, 101)
    at, times, seen = 24, [], set()
    while at < len(data):
        seconds, micros, length, whole = struct.unpack("!IIII", data[at : at + 16])
        assert length == whole
        times.append(seconds + micros / 1e6)
        packet = data[at + 16 : at + 16 + length]
        at += 16 + length
        if packet[0] >> 4 == 4:
            assert internet_sum(packet[:20]) == 0xFFFF and int.from_bytes(packet[2:4]) == length
            source, target, protocol, segment = packet[12:16], packet[16:20], packet[9], packet[20:]
            pseudo = source + target + struct.pack("!HH", protocol, len(segment))
        else:
            source, target, protocol, segment = packet[8:24], packet[24:40], packet[6], packet[40:]
            pseudo = source + target + struct.pack("!II", len(segment), protocol)
        assert internet_sum(pseudo + segment) == 0xFFFF
        seen.add((protocol, str(ip_address(source)), segment[8:] == kept[0].wire or segment[22:] == kept[0].wire))
    assert times == sorted(times) and times[-1] - times[0] == pytest.approx(0.125)
    assert (17, "198.51.100.31", True) in seen and (6, "2001:db8:a1::53", True) in seen


# Pace


def paced(work: object) -> Pace:
    async def run() -> Pace:
        pace = Pace(200)
        await work(pace)  # type: ignore[operator]
        return pace

    return asyncio.run(run())


def test_a_server_that_begins_to_truncate_or_drop_is_asked_more_slowly() -> None:
    async def work(pace: Pace) -> None:
        for _ in range(50):
            pace.heard(reply())
        assert not pace.slowed
        pace.heard(reply(flags=TC))
        (rate,) = pace.slowed.values()
        assert rate <= 100
        pace.heard(reply(flags=TC))  # from the same burst: counts once
        assert pace.slowed == {"198.51.100.31": rate}
        for _ in range(200):
            pace.heard(reply())
        assert not pace.slowed  # it came back

    paced(work)


def test_silence_after_answers_slows_down_and_silence_from_the_first_gives_up() -> None:
    async def work(pace: Pace) -> None:
        pace.heard(reply())
        pace.heard(reply(trouble=Trouble.SILENT))
        assert not pace.slowed  # one packet lost is an accident
        for _ in range(12):
            pace.heard(reply(trouble=Trouble.SILENT))
        assert "198.51.100.31" in pace.slowed
        for _ in range(6):
            assert not pace.gives_up("203.0.113.32")
            pace.heard(reply("203.0.113.32", trouble=Trouble.SILENT))
        asked = sum(not pace.gives_up("203.0.113.32") for _ in range(100))
        assert asked == 5  # now and then one more finds out
        pace.heard(reply("203.0.113.32"))
        assert not pace.gives_up("203.0.113.32")

    paced(work)


def test_questions_keep_to_the_rate() -> None:
    async def work(pace: Pace) -> None:
        loop = asyncio.get_running_loop()
        began = loop.time()
        for _ in range(60):
            await pace.turn("198.51.100.31")
        assert loop.time() - began >= 60 / 200 - 0.1 - 0.02  # a tenth of a second's worth may go at once
        await pace.turn("203.0.113.32")

    paced(work)
