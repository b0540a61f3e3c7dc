"""The world's clock: real time plus all the holds passed so far, and the things that happen on their own at given
instants.

Moving the clock on does not skip anything. Whatever was due in between - a registry's publishing run, a secondary's
refresh, a visitor's question - happens at its own instant, in order, and has finished before the clock moves further.
"""

import asyncio
import heapq
import itertools
import logging
import time
from collections.abc import Awaitable, Callable

from legatum.net.clock import Clock

_log = logging.getLogger(__name__)

Happening = Callable[[], Awaitable[None]]


class WorldClock(Clock):
    """Implements the program's clock interface; ``start`` is the instant (seconds since 1970) at which the world
    begins."""

    def __init__(self, start: float) -> None:
        self._offset = start - time.time()
        self._agenda: list[tuple[float, int, Happening]] = []
        self._order = itertools.count()
        self._running: set[asyncio.Task[None]] = set()
        self._moving = asyncio.Lock()
        self._alarm: asyncio.TimerHandle | None = None
        self._ringing: asyncio.Task[None] | None = None

    def now(self) -> float:
        return time.time() + self._offset

    def at(self, instant: float, happening: Happening) -> None:
        """Has ``happening`` run at ``instant``, by the world's clock."""
        heapq.heappush(self._agenda, (instant, next(self._order), happening))
        self._set_alarm()

    def spawn(self, work: Awaitable[None]) -> None:
        """Work that goes on beside: the clock is not moved on before it has finished."""
        task = asyncio.ensure_future(_guarded(work))
        self._running.add(task)
        task.add_done_callback(self._running.discard)

    async def until(self, instant: float) -> None:
        """Moves the clock on to ``instant``: a hold of days is passed in a moment."""
        async with self._moving:
            await self._settle()
            while self._agenda and self._agenda[0][0] <= instant:
                due, _, happening = heapq.heappop(self._agenda)
                self._jump(max(due, self.now()))
                self.spawn(happening())
                await self._settle()
            self._jump(instant)
            await self._settle()
        self._set_alarm()

    def close(self) -> None:
        """Nothing more happens by itself."""
        if self._alarm is not None:
            self._alarm.cancel()
        if self._ringing is not None:
            self._ringing.cancel()
        self._agenda.clear()

    def _jump(self, instant: float) -> None:
        self._offset += max(0.0, instant - self.now())

    async def _settle(self) -> None:
        """Waits until nothing is under way."""
        while self._running:
            await asyncio.wait(set(self._running))

    def _set_alarm(self) -> None:
        """Real time passes too: what is due by itself happens without anybody moving the clock."""
        if self._moving.locked():
            return  # whoever moves the clock sets the alarm at the end
        if self._alarm is not None:
            self._alarm.cancel()
        self._alarm = None
        if self._agenda:
            left = max(0.0, self._agenda[0][0] - self.now())
            self._alarm = asyncio.get_running_loop().call_later(left, self._ring)

    def _ring(self) -> None:
        self._alarm = None
        if not self._moving.locked():
            self._ringing = asyncio.ensure_future(self.until(self.now()))


async def _guarded(work: Awaitable[None]) -> None:
    """A happening that fails must not stop the world; what it meant is in its own log."""
    try:
        await work
    except (OSError, TimeoutError, asyncio.IncompleteReadError) as error:
        _log.warning("in the practice world: %r", error)
