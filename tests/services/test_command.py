"""Commands of the settings: they end in time, with all that they started, and their last words are told."""

import asyncio
import os
import time
from pathlib import Path

import pytest

from legatum.core.records.name import parse_name
from legatum.core.running.fault import OutsideFault
from legatum.services.command import run_command

DOMAIN = parse_name("kilnandclay.example.")


def run(script: str, limit: float = 60) -> bool:
    return asyncio.run(run_command(["sh", "-c", script], DOMAIN, "making it", limit))


def gone(process: int) -> bool:
    """Ended, or waiting for nobody but the system to take note of it."""
    try:
        return Path(f"/proc/{process}/stat").read_text().rpartition(")")[2].split()[0] == "Z"
    except FileNotFoundError:
        return True


def test_what_it_says_and_the_domain() -> None:
    assert run("test {domain} = kilnandclay.example")
    with pytest.raises(OutsideFault, match=r"ended with 3: no room for kilnandclay\.example"):
        run("echo begun; echo no room for {domain} >&2; exit 3")
    assert not asyncio.run(run_command([], DOMAIN, "making it", 60))


def test_what_it_leaves_in_the_background_is_not_waited_for(tmp_path: Path) -> None:
    assert run(f"sleep 300 & echo $! > {tmp_path}/left")
    os.kill(int((tmp_path / "left").read_text()), 9)


@pytest.mark.parametrize("deaf", ["", "trap '' TERM; "])
def test_one_that_does_not_end_is_ended_with_what_it_started(tmp_path: Path, deaf: str) -> None:
    with pytest.raises(OutsideFault, match="had not ended after 1s"):
        run(f"{deaf}sleep 300 & echo $! > {tmp_path}/child; echo $$ > {tmp_path}/itself; wait; sleep 300", 0.5)
    for name in ("itself", "child"):
        process = int((tmp_path / name).read_text())
        for _ in range(100):
            if gone(process):
                break
            time.sleep(0.05)
        assert gone(process), name


@pytest.mark.parametrize("name", ["-rf.example.", "--help."])
def test_a_name_like_an_option_reaches_no_command(name: str, tmp_path: Path) -> None:
    with pytest.raises(OutsideFault, match="begins like an option"):
        asyncio.run(run_command(["touch", str(tmp_path / "made"), "{domain}"], parse_name(name), "making it", 60))
    assert not (tmp_path / "made").exists()
    assert asyncio.run(run_command(["true", "{domain}"], parse_name("_dmarc.kilnandclay.example."), "making it", 60))
