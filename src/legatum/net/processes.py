"""Several processes on one list: each is this same program, given names on its standard input and giving a JSON line for each.

So the work of many domains uses all processors, and nothing is shared but lines of text.
"""

import asyncio
import contextlib
from collections.abc import AsyncGenerator, AsyncIterator, Sequence

_LONGEST_LINE = 1 << 24


class ProcessFailed(Exception):
    """A process ended before its work was done; its own words went to standard error."""


class Processes:
    """``command``: one worker's. ``window``: names that one has in hand at a time; the next ones wait until it gives lines."""

    def __init__(self, command: Sequence[str], count: int, window: int) -> None:
        self._command = command
        self._count = count
        self._window = window

    async def lines(self, texts: AsyncIterator[str]) -> AsyncGenerator[bytes, None]:
        """What the workers write, in the order in which it comes. Ends them when it is left. Raises :class:`ProcessFailed`."""
        workers = [
            await asyncio.create_subprocess_exec(
                *self._command,
                stdin=asyncio.subprocess.PIPE,
                stdout=asyncio.subprocess.PIPE,
                limit=_LONGEST_LINE,
                start_new_session=True,  # Ctrl-C reaches this process alone, which ends the others
            )
            for _ in range(self._count)
        ]
        lines: asyncio.Queue[bytes | None] = asyncio.Queue(maxsize=self._count * self._window)
        turn = asyncio.Lock()
        tasks = [asyncio.create_task(self._attend(worker, texts, turn, lines)) for worker in workers]
        left = self._count
        try:
            while left:
                line = await lines.get()
                if line is None:
                    left -= 1
                else:
                    yield line
            for worker in workers:
                if await worker.wait() not in (0, 1):
                    raise ProcessFailed(f"a worker ended with {worker.returncode}")
        finally:
            for task in tasks:
                task.cancel()
            for worker in workers:
                if worker.returncode is None:
                    with contextlib.suppress(ProcessLookupError):
                        worker.kill()  # it only looks, and has nothing to put away
            await asyncio.gather(*tasks, *(worker.wait() for worker in workers), return_exceptions=True)

    async def _attend(
        self, worker: asyncio.subprocess.Process, texts: AsyncIterator[str], turn: asyncio.Lock, lines: "asyncio.Queue[bytes | None]"
    ) -> None:
        """Feeds one worker and passes on what it gives."""
        assert worker.stdin is not None and worker.stdout is not None
        room = asyncio.Semaphore(self._window)
        feeding = asyncio.create_task(self._feed(worker.stdin, texts, turn, room))
        try:
            while line := await worker.stdout.readline():
                room.release()
                await lines.put(line)
        finally:
            feeding.cancel()
            await lines.put(None)

    async def _feed(self, sink: asyncio.StreamWriter, texts: AsyncIterator[str], turn: asyncio.Lock, room: asyncio.Semaphore) -> None:
        try:
            while True:
                await room.acquire()
                async with turn:
                    text = await anext(texts, None)
                if text is None:
                    break
                sink.write(text.encode("utf-8", "replace") + b"\n")
                await sink.drain()
        except (BrokenPipeError, ConnectionResetError):
            pass  # it ended: its exit status tells
        finally:
            sink.close()
