"""Work on many things side by side, within a limit."""

import asyncio
from collections.abc import Awaitable, Callable, Coroutine, Iterable
from typing import Any, TypeVar

T = TypeVar("T")
R = TypeVar("R")
MOST = 24
"""So many at once where nothing else limits it: what one machine waits for without losing packets."""


async def together(works: Iterable[Coroutine[Any, Any, R]]) -> list[R]:
    """What each of a few gives, in their order; all are under way at once. What one raises is raised when those before
    it have ended, and the others are given up. For questions: the library's own way of waiting for several costs more
    than sending one."""
    coroutines = list(works)
    if len(coroutines) == 1:
        return [await coroutines[0]]
    tasks = [asyncio.create_task(each) for each in coroutines]
    try:
        return [await each for each in tasks]
    except BaseException:
        for each in tasks:
            each.cancel()
        await asyncio.gather(*tasks, return_exceptions=True)
        raise


async def side_by_side(work: Callable[[T], Awaitable[R]], items: Iterable[T], most: int = MOST) -> list[R]:
    """What ``work`` makes of each, in the order of the items; at most ``most`` are under way at once. Raises what the
    first to fail raises."""
    room = asyncio.Semaphore(most)

    async def one(item: T) -> R:
        async with room:
            return await work(item)

    return list(await asyncio.gather(*map(one, items)))
