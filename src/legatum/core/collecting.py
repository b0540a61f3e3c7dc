"""Work that makes much and throws little away."""

import gc
from collections.abc import Iterator
from contextlib import contextmanager


@contextmanager
def no_collecting() -> Iterator[None]:
    """While all that is made stays, looking through it for garbage again and again takes a tenth of the time."""
    collecting = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if collecting:
            gc.enable()
