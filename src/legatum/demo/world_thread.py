"""A practice world in a thread of its own: the commands beside it are as far away from it as another process's."""

import asyncio
import threading
from collections.abc import Coroutine, Iterable
from pathlib import Path
from types import TracebackType
from typing import Any

from legatum.core.records.name import Name
from legatum.practice.steering.opening import open_world
from legatum.practice.world import World


class WorldThread:
    """``with WorldThread(folder) as practice``: the world is up; ``practice.world`` may be read after it has ended,
    too."""

    def __init__(self, folder: Path, further: int = 0) -> None:
        self._folder, self._further = folder, further
        self._loop = asyncio.new_event_loop()
        self._ready = threading.Event()
        self._fault: BaseException | None = None
        self._thread = threading.Thread(target=self._live, daemon=True)
        self.world: World

    def __enter__(self) -> "WorldThread":
        self._thread.start()
        self._ready.wait()
        if self._fault:
            raise self._fault
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._loop.call_soon_threadsafe(self.world.stopped.set)
        self._thread.join()

    def visit(self, questions: Iterable[tuple[Name, int]], every: float) -> None:
        """Visitors ask all resolvers from now on, ``every`` so many seconds of the world's clock."""
        self._loop.call_soon_threadsafe(self.world.visitors.begin, list(questions), every)

    def end_visits(self) -> None:
        self._loop.call_soon_threadsafe(self.world.visitors.end)

    def run(self, work: Coroutine[Any, Any, None]) -> None:
        """Has something happen in the world, and waits until it has."""
        asyncio.run_coroutine_threadsafe(work, self._loop).result()

    def _live(self) -> None:
        asyncio.set_event_loop(self._loop)
        try:
            self._loop.run_until_complete(self._main())
        except BaseException as error:
            self._fault = error
            self._ready.set()

    async def _main(self) -> None:
        async with open_world(self._folder, further=self._further) as self.world:
            self._ready.set()
            await self.world.stopped.wait()
