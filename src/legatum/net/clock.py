"""Where time comes from: the system's clock, or a practice world's."""

import asyncio
import time
from collections.abc import AsyncIterator
from contextlib import AbstractAsyncContextManager, asynccontextmanager, nullcontext
from typing import Any, Protocol

from legatum.core.running.fault import OutsideFault


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

    The difference to the machine's clock is fetched by :meth:`refresh` and after every hold; letting time pass means
    asking the world to move on.
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
                self._held = await self._hold_still()
            self._steady += 1
            self._idle.clear()
        try:
            yield
        finally:
            self._steady -= 1
            if not self._steady:
                self._held.close()
                self._idle.set()

    async def _hold_still(self) -> asyncio.StreamWriter:
        """As long as this connection stands nobody else moves the world's clock either."""
        reader, writer = await self._reach()
        self._take(await self._ask(reader, writer, {"do": "steady"}))
        return writer

    async def order(self, do: str, **details: Any) -> dict[str, Any]:
        """One request and its answer. Raises :class:`OutsideFault` when the world is not there or says no."""
        reader, writer = await self._reach()
        try:
            return self._take(await self._ask(reader, writer, {"do": do, **details}))
        finally:
            writer.close()

    async def _reach(self) -> tuple[asyncio.StreamReader, asyncio.StreamWriter]:
        try:
            return await asyncio.open_connection(*self._place, limit=1 << 26)
        except OSError:
            raise _away() from None

    async def _ask(
        self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter, order: dict[str, Any]
    ) -> dict[str, Any]:
        import json  # only a practice world needs it, and the first question should not wait for it

        try:
            writer.write(json.dumps({"token": self._token, **order}).encode() + b"\n")
            answer: dict[str, Any] = json.loads(await reader.readline())
            return answer
        except (OSError, ValueError):
            raise _away() from None

    def _take(self, answer: dict[str, Any]) -> dict[str, Any]:
        if "error" in answer:
            raise OutsideFault(f"the practice world refused: {answer['error']}")
        self._ahead = float(answer["now"]) - time.time()
        return answer


def _away() -> OutsideFault:
    return OutsideFault(
        "the practice world of these settings does not answer", "start it: `legatum practice start DIR`"
    )
