"""Several processes on one list: copies of this one, given names on their standard input and giving a JSON line for
each.

So the work of many domains uses all processors, and nothing is shared but lines of text. What this process has loaded
by then the copies have too: none of them starts anew.
"""

import asyncio
import io
import os
import signal
import sys
import traceback
from collections.abc import AsyncGenerator, AsyncIterator, Callable
from contextlib import suppress
from dataclasses import dataclass, field

_LONGEST_LINE = 1 << 24


class ProcessFailed(Exception):
    """A process ended before its work was done; its own words went to standard error."""


@dataclass
class _Copy:
    """``feeding``, ``telling``: this side of its standard input and output."""

    pid: int
    feeding: io.FileIO
    telling: io.FileIO
    status: int | None = None
    transports: list[asyncio.BaseTransport] = field(default_factory=list)

    def end(self) -> None:
        """It only looks, and has nothing to put away. Files that a loop waits for are closed by the loop."""
        if self.status is None:
            with suppress(ProcessLookupError):
                os.kill(self.pid, signal.SIGKILL)
            self.wait()
        for each in self.transports or (self.feeding, self.telling):
            each.close()

    def wait(self) -> int:
        if self.status is None:
            self.status = os.waitstatus_to_exitcode(os.waitpid(self.pid, 0)[1])
        return self.status


class Processes:
    """Make it before there is an event loop: the copies are made then. ``work``: what each does, giving its exit
    status; ``window``: names that one has in hand at a time; the next ones wait until it gives lines."""

    def __init__(self, work: Callable[[], int], count: int, window: int) -> None:
        self._window = window
        self._copies: list[_Copy] = []
        for _ in range(count):
            self._copies.append(self._copied(work))

    def _copied(self, work: Callable[[], int]) -> _Copy:
        (theirs, feeding), (telling, told) = os.pipe(), os.pipe()
        sys.stdout.flush()
        sys.stderr.flush()
        pid = os.fork()
        if pid:
            os.close(theirs)
            os.close(told)
            return _Copy(pid, io.FileIO(feeding, "w"), io.FileIO(telling, "r"))
        status = 3
        try:
            os.setsid()  # Ctrl-C reaches the first process alone, which ends the others
            for each in self._copies:  # or they would not hear the end of their input
                each.feeding.close()
                each.telling.close()
            os.close(feeding)
            os.close(telling)
            os.dup2(theirs, 0)
            os.dup2(told, 1)
            sys.stdin = io.TextIOWrapper(io.FileIO(0, closefd=False), encoding="utf-8")
            sys.stdout = io.TextIOWrapper(io.BufferedWriter(io.FileIO(1, "w", closefd=False)), encoding="utf-8")
            status = work()
            sys.stdout.flush()
        except BaseException:
            traceback.print_exc()
        finally:
            os._exit(status)

    async def lines(self, texts: AsyncIterator[str]) -> AsyncGenerator[bytes, None]:
        """What the workers write, in the order in which it comes. Ends them when it is left. Raises
        :class:`ProcessFailed`."""
        lines: asyncio.Queue[bytes | None] = asyncio.Queue(maxsize=len(self._copies) * self._window)
        turn = asyncio.Lock()
        tasks = [asyncio.create_task(self._attend(each, texts, turn, lines)) for each in self._copies]
        left = len(self._copies)
        try:
            while left:
                line = await lines.get()
                if line is None:
                    left -= 1
                else:
                    yield line
            for each in self._copies:
                if each.wait() not in (0, 1):
                    raise ProcessFailed(f"a worker ended with {each.status}")
        finally:
            for task in tasks:
                task.cancel()
            for each in self._copies:
                each.end()
            await asyncio.gather(*tasks, return_exceptions=True)

    async def _attend(
        self, copy: _Copy, texts: AsyncIterator[str], turn: asyncio.Lock, lines: "asyncio.Queue[bytes | None]"
    ) -> None:
        """Feeds one worker and passes on what it gives."""
        loop, reader = asyncio.get_running_loop(), asyncio.StreamReader(_LONGEST_LINE)
        reading, _ = await loop.connect_read_pipe(lambda: asyncio.StreamReaderProtocol(reader), copy.telling)
        copy.transports.append(reading)
        transport, protocol = await loop.connect_write_pipe(
            lambda: asyncio.streams.FlowControlMixin(loop), copy.feeding
        )
        copy.transports.append(transport)
        room = asyncio.Semaphore(self._window)
        feeding = asyncio.create_task(
            self._feed(asyncio.StreamWriter(transport, protocol, None, loop), texts, turn, room)
        )
        try:
            while line := await reader.readline():
                room.release()
                await lines.put(line)
        except asyncio.CancelledError:
            raise  # nobody takes anything any more: there may be no room to say so
        except Exception:
            await lines.put(None)
            raise
        else:
            await lines.put(None)
        finally:
            feeding.cancel()

    async def _feed(
        self, sink: asyncio.StreamWriter, texts: AsyncIterator[str], turn: asyncio.Lock, room: asyncio.Semaphore
    ) -> None:
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
