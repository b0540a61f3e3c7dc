"""Moves of other kinds than another provider, there and back on each of BIND, Knot, NSD and PowerDNS, visitors throughout.

TTLs are seconds, so that every hold is really waited for. Not one answer may be wrong.
"""

import os
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest

from tests.real.lab import NAMES, Lab
from tests.real.processes import NEEDS_SERVERS, outcome
from tests.real.visitors import Visitors

pytestmark = [*NEEDS_SERVERS, pytest.mark.timeout(400)]
DOMAINS = {f"{name}-kinds.example": name for name in NAMES}
WISHES = (
    ("--ttl", "mail A=9s"),
    ("--soa", "refresh=50s", "--soa", "mailbox=dns@quillmoor.example"),
    ("--replace", "203.0.113.25=203.0.113.26"),
)
"""Taken back by ``retreat``."""


@pytest.fixture
def lab(tmp_path: Path) -> Iterator[Lab]:
    worker = int(os.environ.get("PYTEST_XDIST_WORKER", "gw9").removeprefix("gw"))
    made = Lab(tmp_path, 180 + worker, DOMAINS)
    try:
        made.start()
        yield made
    finally:
        made.stop()


def carried_out(lab: Lab, domain: str, *wishes: str) -> None:
    drafted = lab.legatum("move", "draft", domain, "--from", DOMAINS[domain], *wishes)
    assert drafted["steps"], drafted
    assert lab.legatum("move", "rehearse", domain)["safe"]
    assert lab.legatum("move", "advance", domain, "--yes", "--wait")["halt"] == "complete"


def every_kind(lab: Lab, domain: str) -> None:
    home = DOMAINS[domain]
    other = NAMES[(NAMES.index(home) + 1) % len(NAMES)]
    before = lab.run("gather", domain, "--from", home, "--out", "-").stdout
    for wishes in WISHES:
        carried_out(lab, domain, *wishes)
        assert lab.legatum("move", "retreat", domain, "--yes", "--wait")["halt"] == "complete"
    for _ in range(2):  # what worked once has not been shown
        part = ("delegate", "a", "--of", domain, "--at", home, "--to", other, "--ttl", "3s", "--yes", "--wait")
        assert lab.legatum(*part)["halt"] == "complete"
        assert [outcome(each, f"a.{domain}", 6, False) for each in lab.hostings[other].addresses] == [0, 0]
        assert lab.legatum(*part, "--back")["halt"] == "complete"
        assert [outcome(each, f"a.{domain}", 6, False) for each in lab.hostings[other].addresses] == [5, 5]
    after = lab.run("gather", domain, "--from", home, "--out", "-").stdout
    assert records(before) == records(after)


def records(text: str) -> list[str]:
    return sorted(line for line in text.splitlines() if not line.startswith(";") and " SOA " not in line)


def test_every_kind_there_and_back_on_each_server_and_nobody_notices(lab: Lab) -> None:
    visitors = [Visitors(each.address, [*DOMAINS]) for each in lab.resolvers]
    for each in visitors:
        each.start()
    with ThreadPoolExecutor(len(DOMAINS)) as workers:
        works = {domain: workers.submit(every_kind, lab, domain) for domain in DOMAINS}
    failed = {domain: work.exception() for domain, work in works.items() if work.exception() is not None}
    for each in visitors:
        each.stop()
    assert not failed, failed
    assert [each.wrong[:5] for each in visitors] == [[], []]
    assert all(each.asked > 1000 for each in visitors)
