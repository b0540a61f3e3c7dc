"""Where time comes from: the system's clock, or a practice world's."""

import asyncio
import time
from collections.abc import AsyncIterator
from contextlib import AbstractAsyncContextManager, asynccontextmanager, nullcontext
from typing import Any, Protocol

from legatum.core.fault import OutsideFault


class Clock(Protocol):
    """Seconds since 1970 in UTC, and a way to let time pass."""

    def now(self) -> float: ...

    async def until(self, instant: float) -> None:
        """Returns when ``instant`` has come."""

    def steady(self) -> AbstractAsyncContextManager[None]:
        """While this is held no hold is passed in a moment: two sides that sign with the time go by the same."""
        return nullcontext()


class SystemClock(Clock):
    """The machine's own clock."""

    def now(self) -> float:
        return time.time()

    async def until(self, instant: float) -> None:
        while (left := instant - time.time()) > 0:
            await asyncio.sleep(min(left, 60.0))


class ShiftedClock(SystemClock):
    """The machine's own clock, so many seconds on: of a worker that looks on behalf of somebody in a practice world."""

    def __init__(self, ahead: float) -> None:
        self._ahead = ahead

    def now(self) -> float:
        return time.time() + self._ahead


class WorldControl(Clock):
    """The control port of a practice world, and its clock as seen from another process.

    The difference to the machine's clock is fetched by :meth:`refresh` and after every hold; letting time pass means asking
    the world to move on.
    """

    def __init__(self, host: str, port: int, token: str) -> None:
        self._place = (host, port)
        self._token = token
        self._ahead = 0.0
        self._leaping, self._idle, self._steady = asyncio.Lock(), asyncio.Event(), 0
        self._idle.set()

    def now(self) -> float:
        return time.time() + self._ahead

    async def refresh(self) -> None:
        await self.order("now")

    async def until(self, instant: float) -> None:
        async with self._leaping:
            await self._idle.wait()
            if instant > self.now():
                await self.order("until", instant=instant)

    @asynccontextmanager
    async def steady(self) -> AsyncIterator[None]:
        async with self._leaping:
            if not self._steady:
                await self.refresh()  # another process may have let time pass
            self._steady += 1
            self._idle.clear()
        try:
            yield
        finally:
            self._steady -= 1
            if not self._steady:
                self._idle.set()

    async def order(self, do: str, **details: Any) -> dict[str, Any]:
        """One request and its answer. Raises :class:`OutsideFault` when the world is not there or says no."""
        import json  # only a practice world needs it, and the first question should not wait for it

        line = json.dumps({"token": self._token, "do": do, **details}).encode() + b"\n"
        try:
            reader, writer = await asyncio.open_connection(*self._place, limit=1 << 26)
            writer.write(line)
            answer: dict[str, Any] = json.loads(await reader.readline())
            writer.close()
        except (OSError, ValueError):
            raise OutsideFault("the practice world of these settings does not answer", "start it: `legatum practice start DIR`") from None
        if "error" in answer:
            raise OutsideFault(f"the practice world refused: {answer['error']}")
        self._ahead = float(answer["now"]) - time.time()
        return answer
