"""Several processes on one list: every name once, in whatever order; one that dies is told."""

import asyncio
import os
import sys
from collections.abc import AsyncIterator

import pytest

from legatum.net.processes import Processes, ProcessFailed

ECHO = "import sys\nfor line in sys.stdin:\n    print(line.strip().upper(), flush=True)\n"
DIES = "import sys\nsys.stdin.readline()\nprint('one', flush=True)\nsys.exit(3)\n"


async def names(count: int) -> AsyncIterator[str]:
    for number in range(count):
        yield f"d{number}.example"


NAMED = "import os, sys\nfor line in sys.stdin:\n    print(os.getpid(), flush=True)\n"


def run(script: str, count: int, stop_after: int | None = None) -> list[str]:
    async def collect() -> list[str]:
        found: list[str] = []
        lines = Processes([sys.executable, "-c", script], 2, 3).lines(names(count))
        async for line in lines:
            found.append(line.decode().strip())
            if stop_after is not None and len(found) >= stop_after:
                await lines.aclose()  # type: ignore[attr-defined]
                break
        return found

    return asyncio.run(asyncio.wait_for(collect(), 30))


def test_every_name_comes_back_once() -> None:
    found = run(ECHO, 200)
    assert sorted(found) == sorted(f"D{number}.EXAMPLE" for number in range(200))


def test_an_empty_list_ends_at_once() -> None:
    assert run(ECHO, 0) == []


def test_a_worker_that_dies_is_told() -> None:
    with pytest.raises(ProcessFailed, match="ended with 3"):
        run(DIES, 50)


def test_leaving_early_ends_the_workers() -> None:
    for worker in set(run(NAMED, 10_000, stop_after=5)):
        with pytest.raises(ProcessLookupError):
            os.kill(int(worker), 0)
