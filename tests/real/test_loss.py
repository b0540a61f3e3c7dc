"""A lost packet is not an answer: what a fleet survey says of a hundred domains does not depend on what the network
loses on the way."""

import json
import re
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from bench.world import BenchWorld, bench_world

from tests.real.lossy import LossyRelay
from tests.real.processes import NEEDS_SERVERS

pytestmark = NEEDS_SERVERS
DOMAINS = 100
GHOSTS = ("nobody-1.example", "nobody-2.example", "nobody-3.example")


@pytest.fixture(scope="module")
def world() -> Iterator[BenchWorld]:
    with bench_world(DOMAINS) as made:
        with made.names.open("a") as names:
            names.write("\n".join(GHOSTS) + "\n")
        yield made


def survey(world: BenchWorld, settings: Path, *more: str) -> tuple[dict[str, Any], dict[str, Any]]:
    """Domain → what is wrong with it but for notices; and the summary."""
    command = [
        sys.executable,
        "-m",
        "legatum",
        "fleet",
        "survey",
        str(world.names),
        "--json",
        "--settings",
        str(settings),
        *more,
    ]
    ended = subprocess.run(command, capture_output=True, text=True, timeout=200, check=False)
    *lines, summary = [json.loads(line) for line in ended.stdout.splitlines()]
    said = {
        line["domain"]: {each["slug"] for each in line["findings"] if each["severity"] != "notice"} for line in lines
    }
    assert len(lines) == len(said) == DOMAINS + len(GHOSTS), ended.stderr
    return said, summary


@pytest.mark.parametrize(("chance", "depth"), [(0.1, ()), (0.05, ("--full",))])
def test_what_is_lost_on_the_way_is_no_fault_of_the_domain(
    world: BenchWorld, tmp_path: Path, chance: float, depth: tuple[str, ...]
) -> None:
    quiet, summary = survey(world, world.settings, *depth)
    assert all(quiet[ghost] == {"no-such-domain"} for ghost in GHOSTS)
    per_domain = summary["questions"] / len(quiet)
    assert per_domain <= (12 if not depth else 32)
    text = world.settings.read_text()
    ports = sorted({int(port) for port in re.findall(r"127\.0\.0\.1:(\d+)", text)})
    with LossyRelay(ports, chance) as relay:
        for target, port in relay.ports.items():
            text = text.replace(f"127.0.0.1:{target}", f"127.0.0.1:{port}")
        settings = tmp_path / "legatum.toml"
        settings.write_text(text)
        lossy, _ = survey(world, settings, *depth)
    assert relay.lost > chance * relay.passed / 2 > 10
    assert lossy == quiet
