"""Locks known by numbers: places in a file beside the journal, or advisory locks of its database. One descriptor or
connection for all."""

import fcntl
import os
import struct
from collections.abc import Sequence
from pathlib import Path
from typing import Any, Protocol


class Locks(Protocol):
    def take(self, numbers: Sequence[int]) -> int | None:
        """Takes them all; where somebody else has one, none, and gives that one."""

    def release(self, numbers: Sequence[int]) -> None:
        """What is not held is passed over."""


class FileLocks:
    """Of a file of which nothing is read: each number is an octet that may be locked (open file description locks).
    Raises ``OSError``."""

    def __init__(self, path: Path) -> None:
        self._path = path
        self._file: int | None = None

    def take(self, numbers: Sequence[int]) -> int | None:
        if self._file is None and numbers:
            self._file = os.open(self._path, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o666)
            share_in_group(self._path)
        for count, number in enumerate(numbers):
            try:
                self._set(fcntl.F_WRLCK, number)
            except BlockingIOError:
                self.release(numbers[:count])
                return number
        return None

    def release(self, numbers: Sequence[int]) -> None:
        for number in numbers:
            self._set(fcntl.F_UNLCK, number)

    def _set(self, kind: int, number: int) -> None:
        assert self._file is not None
        fcntl.fcntl(self._file, fcntl.F_OFD_SETLK, struct.pack("hhqqi4x", kind, os.SEEK_SET, number, 1, 0))


class AdvisoryLocks:
    """Of PostgreSQL: they belong to the connection, and are taken anew with a new one."""

    def __init__(self, connection: Any) -> None:
        self._connection = connection
        self._held: set[int] = set()

    def take(self, numbers: Sequence[int]) -> int | None:
        refused = self._take(numbers)
        self._held.update(numbers if refused is None else ())
        return refused

    def _take(self, numbers: Sequence[int]) -> int | None:
        for count, number in enumerate(numbers):
            ((taken,),) = self._connection.execute("SELECT pg_try_advisory_lock(%s)", (number,)).fetchall()
            if not taken:
                self._release(numbers[:count])
                return number
        return None

    def release(self, numbers: Sequence[int]) -> None:
        self._held.difference_update(numbers)
        self._release(numbers)

    def _release(self, numbers: Sequence[int]) -> None:
        for number in numbers:
            self._connection.execute("SELECT pg_advisory_unlock(%s)", (number,))

    def is_alive(self) -> bool:
        """Raises the library's error where the connection is gone."""
        return self._connection.execute("SELECT 1") is not None

    def go_on_with(self, connection: Any) -> bool:
        """Takes what was held on another connection; False where somebody else has come in between."""
        self._connection = connection
        return self._take(sorted(self._held)) is None


def share_in_group(path: Path) -> None:
    """A new file in a folder that a group may write is the group's to write too."""
    if path.stat().st_uid == os.geteuid() and path.parent.stat().st_mode & 0o020:
        path.chmod(path.stat().st_mode | 0o060)
