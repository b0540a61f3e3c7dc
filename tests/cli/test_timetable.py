"""How long will it take? Asked of the installed program, in the practice world: now, for a switch, in windows, for a
list, in an office's own time."""

import json
import struct
from collections.abc import Iterator
from datetime import datetime
from pathlib import Path
from zoneinfo import ZoneInfo

import pytest
from icalendar import Calendar

from legatum.core.records.name import parse_name
from legatum.demo.world_thread import WorldThread
from legatum.wire.message import encode_question
from tests.cli.desk import Desk

DOMAIN = "kilnandclay.example"


@pytest.fixture
def desk(tmp_path: Path) -> Iterator[Desk]:
    with WorldThread(tmp_path / "world") as practice:
        yield Desk(practice)


def told(desk: Desk, *words: str, status: int = 0) -> dict[str, object]:
    assert desk.run("timetable", DOMAIN, *words, "--json", "-q") == status, desk.said
    found = json.loads(desk.said)
    assert isinstance(found, dict)
    return found


def instant(text: object) -> float:
    return datetime.fromisoformat(str(text)).timestamp()


def test_the_first_line_is_the_answer_and_every_row_has_its_reason(desk: Desk) -> None:
    desk.done("timetable", DOMAIN)
    first = desk.said.splitlines()[1]
    assert "changed now, the last old answer is gone by" in first and first.endswith(f"{DOMAIN} NS")
    assert desk.said.count("(rule ") == 6
    desk.done("timetable", DOMAIN, "-v")
    assert desk.said.count("(rule ") == 15
    found = told(desk)
    rows = {each["what"]: each for each in found["rows"]}  # type: ignore[attr-defined]
    assert {each["role"] for each in rows.values()} >= {
        "NS set at the parent", "NS set in the zone", "name server's address", "data", "SOA record", "“no such name”"
    }  # fmt: skip
    assert (
        found["decides"] == f"{DOMAIN} NS"
        and rows[f"{DOMAIN} NS"]["ttl"] == 86400
        and len(rows[f"{DOMAIN} NS"]["servers"]) == 4
    )
    assert instant(found["gone"]) == max(instant(each["until"]) for each in rows.values())
    assert all(
        f"TTL of {each['ttl']}" in each["reason"] and f"(rule {each['rule']})" in each["reason"]
        for each in rows.values()
    )
    one = told(desk, "--change", "shop A")
    assert [each["what"] for each in one["rows"]] == [f"shop.{DOMAIN} A"] and not one["costs"]  # type: ignore[attr-defined]
    wild = {each["role"]: each for each in told(desk, "--add", "fresh.preview")["rows"]}  # type: ignore[attr-defined]
    assert wild["data"]["ttl"] == 300 and wild["data"]["rule"] == 3  # what the wildcard said of it until then
    absent = told(desk, "--add", "fresh")
    assert [(each["role"], each["ttl"], each["rule"]) for each in absent["rows"]] == [("“no such name”", 1800, 3)]  # type: ignore[attr-defined]


def test_a_switch_is_a_schedule_a_calendar_and_a_move(desk: Desk, tmp_path: Path) -> None:
    calendar = tmp_path / "switch.ics"
    found = told(desk, "--switch", "in 3d", "--change", "shop A", "--change", "@ MX", "--calendar", str(calendar))
    switch = found["switch"]
    assert isinstance(switch, dict) and not switch["late"]
    rows = {each["what"]: each for each in switch["rows"]}
    lower = instant(rows[f"{DOMAIN} MX"]["by"])
    assert (
        instant(switch["at"]) - lower == 14400 - 300 + 4 + 30
    )  # the old TTL less the low one; a question under way; the margin
    assert instant(switch["by"]) == lower and instant(switch["gone"]) == instant(switch["at"]) + 300 + 34
    events = list(Calendar.from_ical(calendar.read_text()).walk("VEVENT"))
    assert [str(each["summary"]) for each in events if "switch" in each["summary"]] == [f"{DOMAIN}: switch"]
    assert len(events) == len([each for each in switch["schedule"] if each["todo"]])
    desk.done(
        "timetable", DOMAIN, "--switch", "in 3d", "--change", "shop A", "--change", "@ MX", "--draft", "--from", "alder"
    )
    desk.done("move", "advance", DOMAIN, "--yes", "--wait")
    again = told(desk, "--switch", "in 3d", "--change", "shop A", "--change", "@ MX")
    assert (
        isinstance(again["switch"], dict)
        and again["switch"]["by"] is None
        and {each["ttl"] for each in again["rows"]} == {300}
    )  # type: ignore[attr-defined]


def test_too_late_is_said_with_the_earliest_and_with_what_keeping_it_costs(desk: Desk) -> None:
    assert desk.run("timetable", DOMAIN, "--switch", "in 2h") == 1
    assert "too late to lower every TTL" in desk.said and "the earliest with all lowered is" in desk.said
    assert "of busy resolvers keep the old answer" in desk.said
    switch = told(desk, "--switch", "in 2h", status=1)["switch"]
    assert isinstance(switch, dict)
    late = [each["what"] for each in switch["rows"] if each["late"]]
    assert f"{DOMAIN} NS" in late and f"{DOMAIN} A" not in late


@pytest.mark.parametrize(
    ("words", "says"),
    [
        (("--switch", "2020-01-01 00:00"), "has passed"),
        (("--switch", "Blursday 22:00"), "no day of the week"),
        (("--switch", "2027-03-28 02:30", "--time-zone", "Europe/Berlin"), "does not exist"),
        (("--switch", "in 3d", "--time-zone", "Mars/Base"), "no known time zone"),
        (("--window", "Sat 22", "--switch", "in 3d"), "no window"),
        (("--change", "www"), "does not name one RRset"),
        (("--change", "nothing A"), "is not there"),
        (("--add", "www.elsewhere.test."), "is not in"),
        (("--part", "@"), "the domain itself"),
        (("--calendar", "x.ics"), "of a switch"),
        (("--draft",), "--switch INSTANT, or --soa"),
        (("--picture", "x.png"), "--asked-every"),
        (("--picture", "x.xyz", "--asked-every", "10s"), ".png, .svg or .pdf"),
        (("--picture", "nowhere/x.png", "--asked-every", "10s"), "give a file that can be written"),
        (("--switch", "9999-12-31 23:59"), "100 years"),
        (("--switch", "in 99999999999w"), "is too long"),
        (("--asked-every", "0s"), "between two questions"),
        (("--capture", "nowhere.pcap"), "nowhere.pcap"),
    ],
)
def test_what_cannot_be_meant_is_one_line_and_what_to_do(desk: Desk, words: tuple[str, ...], says: str) -> None:
    assert desk.run("timetable", DOMAIN, *words) == 2 and says in desk.said and "Traceback" not in desk.said, desk.said


def capture(path: Path, cut: int = 0) -> None:
    """A day of questions: 40 resolvers ask for www every 1,000 s, one for the domain every hour; a NOTIFY, and who is
    told asks at once."""
    packets = []

    def add(at: float, source: int, query: bytes, back: bool = False) -> None:
        ends = (bytes((192, 0, 2, source)), bytes((198, 51, 100, 31)))
        left, right = ends[::-1] if back else ends
        udp = struct.pack("!HHHH", 40000, 53, 8 + len(query), 0) + query
        head = struct.pack("!BBHHHBBH", 0x45, 0, 20 + len(udp), 0, 0, 64, 17, 0) + left + right
        packets.append((at, b"\0" * 12 + b"\x08\x00" + head + udp))

    www, apex = (encode_question(1, parse_name(f"{front}{DOMAIN}."), 1) for front in ("www.", ""))
    for source in range(40):
        for number in range(86):
            add(1000.0 * number + source, source, www)
    for number in range(24):
        add(3600.0 * number, 99, apex)
        add(3600.0 * number, 98, encode_question(1, parse_name(f"{DOMAIN}."), 6))
    add(40.0, 97, encode_question(1, parse_name("elsewhere.test."), 1))
    add(100.0, 98, encode_question(1, parse_name(f"{DOMAIN}."), 6, flags=4 << 11), back=True)
    add(100.25, 98, encode_question(1, parse_name(f"{DOMAIN}."), 251))
    body = b"".join(
        struct.pack("<IIII", int(at), int(at % 1 * 1e6), len(each), len(each)) + each for at, each in sorted(packets)
    )
    path.write_bytes((struct.pack("<IHHiIII", 0xA1B2C3D4, 2, 4, 0, 0, 65535, 1) + body)[: -cut or None])


def test_what_was_asked_is_counted_in_a_capture(desk: Desk, tmp_path: Path) -> None:
    file, observation = tmp_path / "day.pcap", tmp_path / "costs.png"
    capture(file)
    found = told(desk, "--capture", str(file), "--picture", str(observation), "--soa")
    assert observation.read_bytes()[:4] == b"\x89PNG"
    costs = {each["what"]: each for each in found["costs"] if not each["proposed"]}  # type: ignore[attr-defined]
    apex = costs[f"{DOMAIN} A"]
    assert "1 resolvers seen in 23 h" in apex["demand"] and apex["load"] == pytest.approx(24 / 85000, rel=0.1)
    measured = found["soa"]["measured"]  # type: ignore[index]
    assert (
        len(measured) == 1
        and "192.0.2.98 asked 25 times" in measured[0]
        and "NOTIFY 1 times, and looked 0.25 s later" in measured[0]
    )
    capture(file, cut=7)
    desk.done("timetable", DOMAIN, "--capture", str(file))
    assert "ends in the middle of a packet" in desk.said and "1 for others" in desk.said
    for content, says in ((b"\x0a\x0d\x0d\x0a" + b"x" * 60, "pcapng"), (b"hello", "no capture"), (b"", "no capture")):
        file.write_bytes(content)
        assert desk.run("timetable", DOMAIN, "--capture", str(file)) == 2 and says in desk.said
    head = struct.pack("<IHHiIII", 0xA1B2C3D4, 2, 4, 0, 0, 65535, 147)
    file.write_bytes(head)
    assert desk.run("timetable", DOMAIN, "--capture", str(file)) == 2 and "link type 147" in desk.said
    file.write_bytes(head[:-4] + struct.pack("<I", 101) + struct.pack("<IIII", 0, 0, 2**31, 2**31))
    assert desk.run("timetable", DOMAIN, "--capture", str(file)) == 2 and "cannot be" in desk.said


def test_odd_soa_timers_are_said_and_mended(desk: Desk) -> None:
    desk.done("timetable", DOMAIN, "--soa")
    assert "every timer of the SOA record is as usual" in desk.said and "takes up to 5 h to reach it" in desk.said
    desk.done("move", "draft", DOMAIN, "--soa", "expire=5d", "--from", "alder")
    desk.done("move", "advance", DOMAIN, "--yes", "--wait")
    desk.done("timetable", DOMAIN, "--soa")
    assert "EXPIRE is 5d, below the usual 14d (RFC 1912 s2.2)" in desk.said and "--soa expire=1209600" in desk.said
    desk.done("timetable", DOMAIN, "--soa", "--draft", "--from", "alder", "--force")
    desk.done("move", "advance", DOMAIN, "--yes", "--wait")
    assert told(desk, "--soa")["soa"]["expire"] == 1209600  # type: ignore[index]


def test_plans_wait_for_the_house_s_windows_and_show_the_house_s_time(desk: Desk) -> None:
    settings = desk.world.settings_file
    hour = (datetime.now(ZoneInfo("Europe/Berlin")).hour + 6) % 23  # not now, and not beyond midnight
    window = f"daily {hour:02}:00-{hour + 1:02}:00"
    house = f'time_zone = "Europe/Berlin"\nwindows = ["{window}"]\nquiet = ["Sun 00:00-24:00"]\n'
    text = settings.read_text()
    settings.write_text(
        text.replace("[house]\n", f"[house]\n{house}") if "[house]\n" in text else f"{text}\n[house]\n{house}"
    )
    desk.done(
        "move",
        "draft",
        DOMAIN,
        "--from",
        "alder",
        "--to",
        "birch",
        "--registrar",
        "flint",
        "--publishing",
        "4m",
        "--speed",
        "at-once",
    )
    desk.done("move", "advance", DOMAIN, "--yes", "--until", "compare")
    desk.done("practice", "clock", "--on", "20m")
    desk.done("move", "advance", DOMAIN, "--yes")
    assert "holding before step 'apex' until" in desk.said and f"in the window {window} (Europe/Berlin)" in desk.said
    assert f"{hour:02}:00:00 CE" in desk.said
    desk.done("move", "advance", DOMAIN, "--yes", "--any-time", "--until", "switch")
    assert "step 'switch'" in desk.said or "switch" in desk.said
    desk.done("move", "retreat", DOMAIN, "--yes", "--wait")  # at once
    desk.done(
        "move",
        "draft",
        DOMAIN,
        "--from",
        "alder",
        "--to",
        "birch",
        "--registrar",
        "flint",
        "--publishing",
        "4m",
        "--force",
    )
    desk.done("move", "rehearse", DOMAIN)
    desk.done("move", "advance", DOMAIN, "--yes", "--wait")
    desk.done(
        "move",
        "draft",
        "ferrytimes.example",
        "--from",
        "alder",
        "--to",
        "birch",
        "--registrar",
        "flint",
        "--quiet-time",
        "2020-01-01",
    )
    assert f"windows {window}; quiet 2020-01-01 (Europe/Berlin)" in desk.said
    assert desk.run("move", "draft", "ferrytimes.example", "--from", "alder", "--to", "birch", "--registrar", "flint",
                    "--window", "Sun 02:00-03:00", "--force") == 4  # fmt: skip
    assert "no window comes within a year" in desk.said


def test_a_list_is_sorted_by_urgency_and_its_calendar_is_one(desk: Desk, tmp_path: Path) -> None:
    names, calendar, table = tmp_path / "names", tmp_path / "all.ics", tmp_path / "all.csv"
    names.write_text(f"{DOMAIN}\ncoppergate.example\nnobody.example\nnot a domain\nKILNANDCLAY.example.\n")
    assert desk.run("fleet", "timetable", str(names), "--switch", "in 10d", "--calendar", str(calendar)) == 1
    assert (
        "2 failed, 2 in time" in desk.said
        and "all of them together: not before" in desk.said
        and "Most urgent" in desk.said
    )
    events = [str(each["summary"]) for each in Calendar.from_ical(calendar.read_text()).walk("VEVENT")]
    assert sorted(events) == sorted(f"{each}: {what}" for each in (DOMAIN, "coppergate.example") for what in (
        f"lower TTLs, {each} NS first", "switch"))  # fmt: skip
    names.write_text(f"{DOMAIN}\ncoppergate.example\n")
    assert (
        desk.run("fleet", "timetable", str(names), "--switch", "in 3h", "--out", str(table), "--jobs", "2") == 1
        and "2 late" in desk.said
    )
    rows = [line.split(",") for line in table.read_text().splitlines()]
    by = rows[0].index("lower_by")
    assert {row[0] for row in rows[1:]} == {DOMAIN, "coppergate.example"} and all(
        row[by].endswith("Z") for row in rows[1:]
    )
    single = told(desk, "--switch", "in 10d")["switch"]
    assert desk.run("fleet", "timetable", str(names), "--switch", str(single["at"]), "--json", "-q") == 0  # type: ignore[index]
    listed = {each["domain"]: each for each in map(json.loads, desk.said.splitlines()) if "domain" in each}
    assert listed[DOMAIN]["lower_by"] == single["by"]  # type: ignore[index]
