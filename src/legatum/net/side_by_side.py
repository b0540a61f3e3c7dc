"""Work on many things side by side, within a limit."""

import asyncio
from collections.abc import Awaitable, Callable, Iterable
from typing import TypeVar

T = TypeVar("T")
R = TypeVar("R")
MOST = 24
"""So many at once where nothing else limits it: what one machine waits for without losing packets."""


async def side_by_side(work: Callable[[T], Awaitable[R]], items: Iterable[T], most: int = MOST) -> list[R]:
    """What ``work`` makes of each, in the order of the items; at most ``most`` are under way at once. Raises what the first to
    fail raises."""
    room = asyncio.Semaphore(most)

    async def one(item: T) -> R:
        async with room:
            return await work(item)

    return list(await asyncio.gather(*map(one, items)))
