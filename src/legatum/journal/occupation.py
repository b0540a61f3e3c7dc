"""One operator at a time on one domain: the second is told who and since when, not served.

A lock on a file beside the move. It goes with the process that holds it, however that ends, so nothing has to be cleared up
after a crash; what stands in the file is for telling.
"""

import contextlib
import fcntl
import getpass
import json
import os
import socket
from collections.abc import Iterator
from pathlib import Path

from legatum.core.fault import BadInput, GateShut
from legatum.core.instant import instant_text
from legatum.core.name import Name, name_text


@contextlib.contextmanager
def occupied(folder: Path, domain: Name, now: float) -> Iterator[None]:
    """Within it nobody else works on the domain. Raises :class:`GateShut`, or :class:`BadInput` where no lock can be made."""
    path = folder / f"{name_text(domain).replace('/', '_')}.lock"
    try:
        folder.mkdir(parents=True, exist_ok=True)
        lock = os.open(path, os.O_RDWR | os.O_CREAT, 0o644)
    except OSError as error:
        raise BadInput(f"{path}: {error.strerror}", "make the folder of the moves writable") from None
    try:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            raise _occupied_by(os.pread(lock, 4096, 0), domain) from None
        os.ftruncate(lock, 0)
        os.pwrite(lock, json.dumps({"who": _who(), "process": os.getpid(), "since": instant_text(now)}).encode(), 0)
        yield
    finally:
        os.close(lock)


def _who() -> str:
    try:
        user = getpass.getuser()
    except (KeyError, OSError):
        user = str(os.getuid())
    return f"{user}@{socket.gethostname()}"


def _occupied_by(written: bytes, domain: Name) -> GateShut:
    try:
        told = json.loads(written)
        other = f"{told['who']}, process {told['process']}, since {told['since']}"
    except (ValueError, KeyError, TypeError):
        other = "another process"
    return GateShut(f"{name_text(domain)} is being worked on by {other}", "wait until that has ended; nothing was done here")
