"""Whole moves between every two of BIND, Knot, NSD and PowerDNS, there and back, with the installed program and
visitors throughout.

All go on side by side: a domain for each pair moves there and back, and one for each new side is taken back from the
step after the switch. TTLs are seconds, so that every hold is really waited for. Not one answer may be wrong.
"""

import itertools
import os
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest

from tests.real.lab import NAMES, Lab
from tests.real.processes import NEEDS_SERVERS, outcome
from tests.real.visitors import Visitors

pytestmark = [pytest.mark.timeout(600), *NEEDS_SERVERS]
PAIRS = list(itertools.combinations(NAMES, 2))
BACK = list(zip(NAMES, (*NAMES[1:], NAMES[0]), strict=True))
TOURS = {f"{one}-{other}.example": (one, other) for one, other in PAIRS}
RETREATS = {f"{one}-{other}-back.example": (one, other) for one, other in BACK}


@pytest.fixture
def lab(tmp_path: Path) -> Iterator[Lab]:
    worker = int(os.environ.get("PYTEST_XDIST_WORKER", "gw9").removeprefix("gw"))
    made = Lab(tmp_path, 210 + worker, {domain: one for domain, (one, _) in {**TOURS, **RETREATS}.items()})
    try:
        made.start()
        yield made
    finally:
        made.stop()


def move(lab: Lab, domain: str, old: str, new: str) -> None:
    """From draft to complete; nobody serves it at the old side afterwards."""
    drafted = lab.legatum(
        "move",
        "draft",
        domain,
        "--from",
        old,
        "--to",
        new,
        "--registrar",
        "flint",
        "--publishing",
        "5s",
        "--speed",
        "lowered",
    )
    assert drafted["steps"][0]["id"] == "gather"
    assert lab.legatum("move", "rehearse", domain)["safe"]
    assert lab.legatum("move", "advance", domain, "--yes", "--wait")["halt"] == "complete"
    assert [outcome(each, domain, 6, False) for each in lab.hostings[old].addresses] == [5, 5]
    assert [outcome(each, domain, 6, False) for each in lab.hostings[new].addresses] == [0, 0]


def tour(lab: Lab, domain: str) -> None:
    """There and back: what worked once has not been shown."""
    one, other = TOURS[domain]
    move(lab, domain, one, other)
    move(lab, domain, other, one)


def retreat(lab: Lab, domain: str) -> None:
    """From the step after the switch back to where it was."""
    one, other = RETREATS[domain]
    lab.legatum(
        "move",
        "draft",
        domain,
        "--from",
        one,
        "--to",
        other,
        "--registrar",
        "flint",
        "--publishing",
        "5s",
        "--speed",
        "lowered",
    )
    stopped = lab.legatum("move", "advance", domain, "--yes", "--wait", "--until", "parents")
    assert stopped["halt"] == "stopped"
    assert lab.legatum("move", "retreat", domain, "--yes", "--wait")["halt"] == "complete"
    assert [outcome(each, domain, 6, False) for each in lab.hostings[other].addresses] == [5, 5]
    assert [outcome(each, domain, 6, False) for each in lab.hostings[one].addresses] == [0, 0]


def test_every_pair_there_and_back_and_nobody_notices(lab: Lab) -> None:
    visitors = [Visitors(each.address, [*TOURS, *RETREATS], rate=5.0) for each in lab.resolvers]
    for each in visitors:
        each.start()
    with ThreadPoolExecutor(len(TOURS) + len(RETREATS)) as crew:
        works = {domain: crew.submit(tour, lab, domain) for domain in TOURS}
        works |= {domain: crew.submit(retreat, lab, domain) for domain in RETREATS}
    failed = {domain: work.exception() for domain, work in works.items() if work.exception() is not None}
    for each in visitors:
        each.stop()
    assert not failed, failed
    assert [each.wrong[:5] for each in visitors] == [[], []]
    assert all(each.asked > 1000 * len(works) // 10 for each in visitors)
