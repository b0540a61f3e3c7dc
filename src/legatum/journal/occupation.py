"""One operator at a time on one domain: the second is told who and since when, not served.

The lock is where the journal is, wherever the move's file stands: whoever shares the journal is held off, on other
machines too where it is a database. It goes with the process that holds it, however that ends; what stands in the table
is for telling.
"""

import getpass
import hashlib
import os
import socket
from collections import Counter
from collections.abc import Iterator, Sequence
from contextlib import contextmanager

from legatum.core.calendar.instant import instant_text
from legatum.core.records.name import Name, name_text
from legatum.core.running.fault import GateShut
from legatum.journal.database import Database


class Occupied(GateShut):
    """Somebody else works on the domain."""


class Occupation:
    """Of domains, by this process. What it holds it may take again, inside."""

    def __init__(self, database: Database) -> None:
        self._database = database
        self._held: Counter[Name] = Counter()

    @contextmanager
    def of(self, domains: Sequence[Name], now: float) -> Iterator[None]:
        """Within it nobody else works on any of them. Raises :class:`Occupied`, then none is taken;
        :class:`OutsideFault` where no lock can be made."""
        new = [each for each in dict.fromkeys(domains) if not self._held[each]]
        taken = self._database.take([_number(each) for each in new])
        if taken is not None:
            raise self._occupied(next(each for each in new if _number(each) == taken))
        try:
            self._held.update(domains)
            self._tell(new, now)
            yield
        finally:
            self._held.subtract(domains)
            self._database.release([_number(each) for each in new])

    def _tell(self, domains: Sequence[Name], now: float) -> None:
        rows = [
            {"domain": name_text(each), "who": system_user(), "process": os.getpid(), "since": now} for each in domains
        ]
        self._database.replace("occupations", "domain", rows)

    def _occupied(self, domain: Name) -> Occupied:
        found = self._database.rows("SELECT who, process, since FROM occupations WHERE domain = ?", name_text(domain))
        other = (
            f"{found[0][0]}, process {found[0][1]}, since {instant_text(found[0][2])}" if found else "another process"
        )
        return Occupied(
            f"{name_text(domain)} is being worked on by {other}", "wait until that has ended; nothing was done here"
        )


def _number(domain: Name) -> int:
    """One of 2^62 for each domain, the same everywhere."""
    return int.from_bytes(hashlib.sha256(domain).digest()[:8]) >> 2


def system_user() -> str:
    """Who runs this process, and on which machine."""
    try:
        user = getpass.getuser()
    except (KeyError, OSError):
        user = str(os.getuid())
    return f"{user}@{socket.gethostname()}"
