"""A list of domains surveyed with analysis, against a bare socket loop that asks the same server and decodes nothing.

Also what a survey of many more domains costs in memory, and how many questions a domain takes.
"""

import asyncio
import json
import socket
import statistics
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

from bench.figure import Figure
from bench.world import BenchWorld, bench_world, nsd_program
from legatum.core.records.name import parse_name
from legatum.wire.message import encode_question

_DOMAINS, _MANY, _IN_FLIGHT, _ROUNDS = 2_000, 20_000, 200, 3
_SOA = 6


async def _bare(port: int, count: int) -> float:
    """Questions a second: one socket, a callback that drains it, a future and a time-out for each question; nothing
    decoded."""
    loop = asyncio.get_running_loop()
    ours = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
    ours.setblocking(False)
    ours.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, 4 << 20)
    numbers = iter(range(count))
    waiting: dict[bytes, asyncio.Future[bytes]] = {}
    place = ("127.0.0.1", port)

    def drain() -> None:
        while True:
            try:
                datagram = ours.recv(4096)
            except BlockingIOError:
                return
            future = waiting.pop(datagram[:2], None)
            if future is not None and not future.done():
                future.set_result(datagram)

    async def worker() -> None:
        for number in numbers:
            query = encode_question(number & 0xFFFF, parse_name(f"d{number % _DOMAINS:05d}.example."), _SOA)
            waiting[query[:2]] = future = loop.create_future()
            ours.sendto(query, place)
            try:
                await asyncio.wait_for(future, 2)
            except TimeoutError:
                continue

    loop.add_reader(ours.fileno(), drain)
    began = time.perf_counter()
    await asyncio.gather(*(worker() for _ in range(_IN_FLIGHT)))
    took = time.perf_counter() - began
    loop.remove_reader(ours.fileno())
    ours.close()
    return count / took


def survey_of(world: BenchWorld, *words: str, names: Path | None = None) -> dict[str, float]:
    """One run of the program; its summary, and the peak memory of its largest process in KiB."""
    command = [
        sys.executable,
        "-m",
        "legatum",
        "fleet",
        "survey",
        str(names or world.names),
        "--settings",
        str(world.settings),
        "--json",
        "-q",
    ]
    began = time.perf_counter()
    ended = subprocess.run([*command, *words], capture_output=True, text=True, check=False)
    took = time.perf_counter() - began
    summary = json.loads(ended.stdout.splitlines()[-1])
    good = sum(summary["standings"].get(each, 0) for each in ("notice", "healthy"))
    assert good >= 0.99 * summary["domains"], summary["standings"]  # a stall of the machine may cost one its time-out
    valid = ended.stdout.count('"signing":"connected and valid"')
    return {"domains": summary["domains"], "questions": summary["questions"], "seconds": took, "valid": valid}


def _peak(world: BenchWorld, names: Path) -> float:
    """Peak memory in MiB of a run in one process, as the kernel counts it for that child alone."""
    script = (
        "import resource, subprocess, sys; subprocess.run(sys.argv[1:], stdout=subprocess.DEVNULL);"
        "print(resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 1024)"
    )
    command = [
        sys.executable,
        "-m",
        "legatum",
        "fleet",
        "survey",
        str(names),
        "--settings",
        str(world.settings),
        "--json",
        "-q",
        "--jobs",
        "1",
    ]
    return float(
        subprocess.run([sys.executable, "-c", script, *command], capture_output=True, text=True, check=True).stdout
    )


def figures() -> Iterator[Figure]:
    if nsd_program() is None:
        yield Figure("survey of 2,000 domains", "-", "needs Debian's nsd", 0.0, "≥ 0.33")
        return
    with bench_world(_DOMAINS) as world:
        rounds = []
        for _ in range(_ROUNDS):
            bare = asyncio.run(_bare(world.port, 20_000))
            brief, full = survey_of(world), survey_of(world, "--full")
            again = asyncio.run(_bare(world.port, 20_000))
            rounds.append(((bare + again) / 2, brief, full))
        for name, which, wanted in (("brief", 1, "≥ 0.33"), ("full", 2, "≥ 0.4")):
            ratios = [each[which]["questions"] / each[which]["seconds"] / each[0] for each in rounds]  # type: ignore[index,operator]
            at = ratios.index(statistics.median_low(ratios))
            bare, run = rounds[at][0], rounds[at][which]
            assert isinstance(run, dict)
            what = (
                f"{name} survey of {_DOMAINS} domains, questions a second "
                f"({run['questions'] / run['domains']:.1f} a domain)"
            )
            yield Figure(
                what, f"{run['questions'] / run['seconds']:,.0f}", f"{bare:,.0f}, socket loop", ratios[at], wanted
            )
        few = _peak(world, world.names)
    with bench_world(_MANY) as world:
        many = _peak(world, world.names)
    yield Figure(
        f"peak memory for {_MANY} domains", f"{many:.0f} MiB", f"{few:.0f} MiB for {_DOMAINS}", many / few, "≤ 1.5"
    )
