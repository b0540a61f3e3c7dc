"""Several processes on one list: every name once, in whatever order; one that dies is told."""

import asyncio
import os
import sys
from collections.abc import AsyncIterator, Callable

import pytest

from legatum.net.processes import Processes, ProcessFailed


def echo() -> int:
    for line in sys.stdin:
        print(line.strip().upper(), flush=True)
    return 0


def dies() -> int:
    sys.stdin.readline()
    print("one", flush=True)
    return 3


def breaks() -> int:
    raise RuntimeError("torn")


def named() -> int:
    for _ in sys.stdin:
        print(os.getpid(), flush=True)
    return 0


async def names(count: int) -> AsyncIterator[str]:
    for number in range(count):
        yield f"d{number}.example"


def run(work: Callable[[], int], count: int, stop_after: int | None = None) -> list[str]:
    processes = Processes(work, 2, 3)

    async def collect() -> list[str]:
        found: list[str] = []
        lines = processes.lines(names(count))
        async for line in lines:
            found.append(line.decode().strip())
            if stop_after is not None and len(found) >= stop_after:
                await asyncio.sleep(0.1)  # by now there is no room for more lines
                await lines.aclose()  # type: ignore[attr-defined]
                break
        return found

    return asyncio.run(asyncio.wait_for(collect(), 30))


def test_every_name_comes_back_once() -> None:
    found = run(echo, 200)
    assert sorted(found) == sorted(f"D{number}.EXAMPLE" for number in range(200))


def test_an_empty_list_ends_at_once() -> None:
    assert run(echo, 0) == []


def test_a_worker_that_dies_is_told() -> None:
    with pytest.raises(ProcessFailed, match="ended with 3"):
        run(dies, 50)


def test_one_that_breaks_is_told(capfd: pytest.CaptureFixture[str]) -> None:
    with pytest.raises(ProcessFailed, match="ended with 3"):
        run(breaks, 50)
    assert "torn" in capfd.readouterr().err


def test_leaving_early_ends_the_workers() -> None:
    for worker in set(run(named, 10_000, stop_after=5)):
        with pytest.raises(ProcessLookupError):
            os.kill(int(worker), 0)
