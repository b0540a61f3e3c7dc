"""A bar on standard error for work that takes longer than two seconds, where that is a terminal."""

import argparse
import sys
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager

from legatum.core.calendar.duration import rough_text
from legatum.core.running.progress import Progress, looked_at
from legatum.core.text.printable import one_line

_AFTER, _AGAIN = 2.0, 0.25  # seconds
_WIDTH = 24


@contextmanager
def bar(args: argparse.Namespace) -> Iterator[None]:
    """Within it the work that is done is shown, after a while; nothing else may be written to the terminal."""
    if args.quiet or not sys.stderr.isatty():
        yield
        return
    counted, over = Progress(), threading.Event()
    looked_at(counted)
    drawing = threading.Thread(target=_draw, args=(counted, over), daemon=True)
    drawing.start()
    try:
        yield
    finally:
        over.set()
        drawing.join()
        looked_at(Progress())


def _draw(counted: Progress, over: threading.Event) -> None:
    began, drawn = time.monotonic(), False
    stage, since = "", began
    while not over.wait(_AGAIN):
        now = time.monotonic()
        if counted.stage != stage:
            stage, since = counted.stage, now
        if now - began >= _AFTER and stage:
            print(f"\r\x1b[K{bar_text(counted, now - since)}", end="", file=sys.stderr, flush=True)
            drawn = True
    if drawn:
        print("\r\x1b[K", end="", file=sys.stderr, flush=True)


def bar_text(counted: Progress, seconds: float) -> str:
    """One line: how far, how fast, how long yet. ``seconds``: since the stage began."""
    done, total = counted.done, counted.total
    rate = done / seconds if seconds > 0 else 0.0
    what = f" {counted.unit}" if counted.unit else ""
    if not total:
        count = f", {done:,}{what}, {rate:,.0f} a second" if done else ""
        return f"{one_line(counted.stage)}: {seconds:.0f} s{count}"
    share = min(1.0, done / total)
    full = round(share * _WIDTH)
    left = f", {rough_text((total - done) / rate)} left" if rate > 0 and total > done else ""
    return (
        f"{'█' * full}{'░' * (_WIDTH - full)} {share:4.0%} {one_line(counted.stage)}, {done:,} of {total:,}{what}{left}"
    )
