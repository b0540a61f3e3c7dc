"""The instants of a timetable, on real caches: no resolver gives the old answer after them, and some does until just
before."""

import json
import os
import threading
import time
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

import pytest

from tests.real.lab import Lab
from tests.real.processes import NEEDS_SERVERS, asked

pytestmark = [pytest.mark.timeout(240), *NEEDS_SERVERS]
LOWERED, AT_ONCE, ADDED = "lowered.example", "at-once.example", "added.example"
HOMES = {LOWERED: "bind", AT_ONCE: "knot", ADDED: "pdns"}
OLD, NEW, TTL = "203.0.113.25", "203.0.113.77", 12


@pytest.fixture
def lab(tmp_path: Path) -> Iterator[Lab]:
    worker = int(os.environ.get("PYTEST_XDIST_WORKER", "gw9").removeprefix("gw"))
    extra = dict.fromkeys((LOWERED, AT_ONCE), f"slow {TTL} A {OLD}\n")
    made = Lab(tmp_path, 190 + worker, HOMES, extra=extra)
    try:
        made.start()
        yield made
    finally:
        made.stop()


class Watch(threading.Thread):
    """Asks the resolvers for a name all the time. ``seen``: when, and what came; nothing for *no such name*."""

    def __init__(self, resolvers: list[str], name: str) -> None:
        super().__init__(daemon=True)
        self.resolvers, self.name_asked = resolvers, name
        self.seen: list[tuple[float, str]] = []
        self.ended = threading.Event()

    def run(self) -> None:
        while not self.ended.is_set():
            for each in self.resolvers:
                answer = asked(each, self.name_asked, "A")
                given = [str(rdata) for one in answer.answer for rdata in one if rdata.rdtype.name == "A"]
                self.seen.append((time.time(), ",".join(given)))
            time.sleep(0.1)

    def last(self, given: str) -> float:
        return max(at for at, what in self.seen if what == given)


@dataclass
class Case:
    lab: Lab
    domain: str

    def timetable(self, *words: str, status: int = 0) -> dict[str, object]:
        found = self.lab.legatum("timetable", self.domain, *words, status=status)
        assert isinstance(found, dict)
        return found

    def amend(self, *words: str) -> float:
        """When the last server had it."""
        self.lab.legatum("amend", self.domain, *words, "--at", HOMES[self.domain], "--yes")
        return time.time()

    def watch(self, name: str) -> Watch:
        started = Watch([each.address for each in self.lab.resolvers], f"{name}.{self.domain}")
        started.start()
        return started


def instant(text: object) -> float:
    return datetime.fromisoformat(str(text)).timestamp()


def until(moment: float) -> None:
    time.sleep(max(0.0, moment - time.time()))


def lowered_in_time(lab: Lab) -> None:
    case = Case(lab, LOWERED)
    watched = case.watch("slow")
    wish = time.time() + TTL + 35
    said = case.timetable(
        "--switch", datetime.fromtimestamp(wish).astimezone().isoformat(), "--change", "slow A", "--low-ttl", "2s"
    )
    switch = said["switch"]
    assert isinstance(switch, dict) and not switch["late"] and switch["rows"][0]["low"] == 2
    until(instant(switch["by"]) - 12)  # room for a loaded machine
    assert case.amend("slow", "A", "--ttl", "2s") < instant(switch["by"])
    until(instant(switch["at"]))
    changed = case.amend("slow", "A", NEW, "--ttl", "2s")
    until(instant(switch["gone"]) + 3)
    watched.ended.set()
    behind = changed - instant(switch["at"])  # that the change came so much later
    assert watched.last(OLD) < instant(switch["gone"]) + behind, json.dumps(switch)
    assert watched.last(OLD) > instant(switch["by"])  # everybody had it until the change, which came later


def changed_at_once(lab: Lab) -> None:
    case = Case(lab, AT_ONCE)
    watched = case.watch("slow")
    time.sleep(3)
    case.timetable("--change", "slow A")
    changed = case.amend("slow", "A", NEW)
    said = case.timetable("--change", "slow A")  # the last old answer was given a moment ago
    assert f"with a TTL of {TTL}" in str(said["rows"][0]["reason"])  # type: ignore[index]
    until(instant(said["gone"]) + 2)
    watched.ended.set()
    assert watched.last(OLD) < instant(said["gone"])
    assert watched.last(OLD) > changed + TTL / 2  # kept for most of its TTL by the one that had asked last


def name_added(lab: Lab) -> None:
    case = Case(lab, ADDED)
    watched = case.watch("fresh")
    time.sleep(2)
    case.amend("fresh", "A", NEW, "--ttl", "5s")
    said = case.timetable("--add", "another")
    until(instant(said["gone"]) + 2)
    watched.ended.set()
    assert watched.last("") < instant(said["gone"]) and watched.last(NEW) > instant(said["gone"])


def test_the_instants_hold_on_real_caches(lab: Lab) -> None:
    failed: list[BaseException] = []

    def kept(work: object) -> None:
        try:
            work(lab)  # type: ignore[operator]
        except BaseException as error:  # told below, of all of them
            failed.append(error)

    threads = [threading.Thread(target=kept, args=(each,)) for each in (lowered_in_time, changed_at_once, name_added)]
    for each in threads:
        each.start()
    for each in threads:
        each.join()
    assert not failed, failed
