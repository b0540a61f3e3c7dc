"""An event loop in which waiting takes no time: what is measured is what a program waits for, not how fast the machine
is."""

import asyncio
import selectors
from collections.abc import Coroutine
from typing import Any, TypeVar

T = TypeVar("T")
_SETTLED = 0.02  # seconds without a packet, while everybody is in this process, before the time is moved on


class _Selector(selectors.DefaultSelector):  # type: ignore[valid-type, misc]
    ahead = 0.0

    def select(self, timeout: float | None = None) -> Any:
        if timeout is None or timeout <= 0:
            return super().select(timeout)
        events = super().select(_SETTLED)
        if not events:
            self.ahead += timeout
        return events


class SwiftLoop(asyncio.SelectorEventLoop):
    def __init__(self) -> None:
        self._waits = _Selector()
        super().__init__(self._waits)

    def time(self) -> float:
        return self._waits.ahead


def swiftly(work: Coroutine[Any, Any, T]) -> tuple[T, float]:
    """What comes of it, and how many seconds it waited."""
    with asyncio.Runner(loop_factory=SwiftLoop) as runner:
        done = runner.run(work)
        return done, runner.get_loop().time()
