"""Ctrl-C, SIGTERM and a terminal that hangs up, at any moment: one line, status 130, no traceback and no hang.

Where nothing is under way the program ends at once. Work that is under way is cancelled, so that it can close what it
has open; what has not come to an end after a few seconds (output that nobody takes, a library that waits) is left as it
is: every effect stands in the journal before it is begun. Asked a second time, the program ends at once too.
"""

import os
import signal
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from typing import NoReturn

_INTERRUPTED = 130
_GRACE = 3.0
_LINE = "legatum: interrupted. What was done stands; the same command goes on from there.\n"
_ASKING = (signal.SIGINT, signal.SIGTERM, signal.SIGHUP)
_endings: list[Callable[[], object] | None] = []
_asked = False


def listen() -> None:
    """From now on. Started with ``nohup`` the program outlives its terminal."""
    for each in _ASKING:
        if each != signal.SIGHUP or signal.getsignal(each) != signal.SIG_IGN:
            signal.signal(each, _ask)
    signal.signal(signal.SIGALRM, _end)


@contextmanager
def ending(end: Callable[[], object] | None) -> Iterator[None]:
    """``end``: ends what is under way inside; None where there is nothing to close."""
    _endings.append(end)
    try:
        yield
    finally:
        _endings.pop()
    if _asked and end:
        raise KeyboardInterrupt


def no_longer() -> None:
    """Everything is done and said: what comes now changes nothing."""
    for each in (*_ASKING, signal.SIGALRM):
        signal.signal(each, signal.SIG_IGN)


def leave() -> NoReturn:
    """Says so, and ends the program; libraries that would wait are not asked."""
    no_longer()
    with suppress(OSError):  # there may be no terminal any more
        os.write(2, _LINE.encode())
    os._exit(_INTERRUPTED)


def _ask(number: int, frame: object) -> None:
    global _asked
    end = _endings[-1] if _endings else None
    if _asked or end is None:
        leave()
    _asked = True
    signal.setitimer(signal.ITIMER_REAL, _GRACE)
    end()


def _end(number: int, frame: object) -> None:
    leave()
