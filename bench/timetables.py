"""A capture read and counted, a timetable computed, a list of domains asked when they can switch."""

import json
import statistics
import struct
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

from bench.figure import Figure
from bench.fleet import survey_of
from bench.world import BenchWorld, bench_world, nsd_program
from legatum.core.calendar.timing import Caution
from legatum.core.records.name import parse_name
from legatum.core.records.rrtype import NS, A
from legatum.core.timetable.aging import all_aged
from legatum.core.timetable.cost import cost_of, supposed_demand
from legatum.core.timetable.subject import Role, Subject
from legatum.core.timetable.switch import wished
from legatum.wire.message import encode_question

_FEW, _MANY, _DOMAINS, _ROUNDS = 100_000, 1_000_000, 2_000, 3
_LIMIT, _LIMIT_OF_ONE = 15.0, 0.020  # seconds
_DOMAIN = parse_name("kilnandclay.example.")
_READ = (
    "import resource, sys, time; from pathlib import Path; from legatum.core.records.name import parse_name;"
    "from legatum.net.keeping.captured import read_capture; began = time.perf_counter();"
    "found = read_capture(Path(sys.argv[1]), parse_name('kilnandclay.example.'));"
    "print(sum(each.total for each in found.asked.values()) + found.elsewhere, time.perf_counter() - began,"
    " resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024)"
)


def figures() -> Iterator[Figure]:
    yield from _captures()
    yield _one()
    if nsd_program() is None:
        yield Figure("timetable of 2,000 domains", "-", "needs Debian's nsd", 0.0, "≥ 0.95")
        return
    with bench_world(_DOMAINS) as world:
        rounds = []
        for _ in range(_ROUNDS):
            brief = survey_of(world)
            rounds.append((brief["domains"] / brief["seconds"], _fleet(world)))
    ratios = [ours / brief for brief, ours in rounds]
    brief, ours = rounds[ratios.index(statistics.median_low(ratios))]
    yield Figure(
        f"timetable of {_DOMAINS} domains, domains a second",
        f"{ours:,.0f}",
        f"{brief:,.0f}, brief survey",
        ours / brief,
        "≥ 0.95",
    )


def _captures() -> Iterator[Figure]:
    """A quarter of it for names of other domains; 5,000 resolvers."""
    found = {}
    with tempfile.TemporaryDirectory() as folder:
        for count in (_FEW, _MANY):
            path = Path(folder) / f"{count}.pcap"
            _write(path, count)
            ended = subprocess.run([sys.executable, "-c", _READ, str(path)], capture_output=True, text=True, check=True)
            counted, seconds, memory = map(float, ended.stdout.split())
            assert counted == count, ended.stdout
            found[count] = seconds, memory
    seconds, memory = found[_MANY]
    yield Figure(
        f"a capture of {_MANY:,} questions read and counted",
        f"{seconds:.1f} s",
        f"{_LIMIT:.0f} s",
        seconds / _LIMIT,
        "≤ 1",
    )
    few = found[_FEW][1]
    yield Figure("peak memory for that", f"{memory:.0f} MiB", f"{few:.0f} MiB for {_FEW:,}", memory / few, "≤ 1.5")


def _write(path: Path, count: int) -> None:
    names = [f"{front}kilnandclay.example." for front in ("", "www.", "mail.", "shop.")] + ["elsewhere.test."]
    queries = [encode_question(1, parse_name(name), rtype) for name in names[:4] for rtype in (1, 28, 15)]
    queries += [encode_question(1, parse_name(names[4]), 1)] * 4
    with path.open("wb") as file:
        file.write(struct.pack("<IHHiIII", 0xA1B2C3D4, 2, 4, 0, 0, 65535, 101))
        for number in range(count):
            query = queries[number % len(queries)]
            udp = struct.pack("!HHHH", 40000, 53, 8 + len(query), 0) + query
            source = bytes((10, 0, number % 5000 // 250, number % 250))
            packet = (
                struct.pack("!BBHHHBBH", 0x45, 0, 20 + len(udp), 0, 0, 64, 17, 0) + source + bytes((192, 0, 2, 1)) + udp
            )
            file.write(struct.pack("<IIII", 1_800_000_000 + number // 300, 0, len(packet), len(packet)) + packet)


def _one() -> Figure:
    """Everything that is computed of one domain: 24 RRsets at 8 addresses each."""
    servers = [f"192.0.2.{number}" for number in range(8)]
    matters = [
        Subject(
            Role.NS if number == 0 else Role.DATA,
            parse_name(f"n{number}.kilnandclay.example."),
            NS if number == 0 else A,
            dict.fromkeys(servers, 300 * (number + 1)),
            "its servers",
            True,
        )
        for number in range(24)
    ]
    caution, demand, rounds = Caution(), supposed_demand(10.0, 1000), 50
    began = time.perf_counter()
    for _ in range(rounds):
        all_aged(matters, 1.8e9, 3600, caution)
        wished(matters, 1.8e9 + 86400, 300, 1.8e9, 3600, caution)
        for each in matters:
            cost_of(demand, each.ttl)
    took = (time.perf_counter() - began) / rounds
    what = "what is computed of one domain, 24 RRsets"
    return Figure(what, f"{took * 1000:.2f} ms", f"{_LIMIT_OF_ONE * 1000:.0f} ms", took / _LIMIT_OF_ONE, "≤ 1")


def _fleet(world: BenchWorld) -> float:
    """Domains a second, start-up counted."""
    command = [sys.executable, "-m", "legatum", "fleet", "timetable", str(world.names), "--switch", "in 3d"]
    began = time.perf_counter()
    ended = subprocess.run(
        [*command, "--settings", str(world.settings), "--json", "-q"], capture_output=True, text=True, check=False
    )
    took = time.perf_counter() - began
    summary = json.loads(ended.stdout.splitlines()[-1])
    assert summary["standings"].get("in time", 0) >= 0.99 * summary["domains"], summary["standings"]
    return float(summary["domains"] / took)
