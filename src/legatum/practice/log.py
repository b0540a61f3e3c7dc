"""Who was asked what and got which answer: every question that a server of the world received."""

from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass

from legatum.core.calendar.instant import instant_text
from legatum.core.records.name import Name, name_text
from legatum.core.records.rrtype import type_text
from legatum.net.asking.reply import Reply


@dataclass(frozen=True, slots=True)
class Visit:
    """One question at one server, by the world's clock."""

    at: float
    server: str
    transport: str
    name: Name
    rtype: int
    outcome: str

    def row(self) -> dict[str, object]:
        return {
            "at": instant_text(self.at),
            "server": self.server,
            "transport": self.transport,
            "name": name_text(self.name),
            "type": type_text(self.rtype),
            "outcome": self.outcome,
        }


class VisitLog:
    """All visits since the world began."""

    def __init__(self) -> None:
        self._visits: list[Visit] = []

    def add(self, visit: Visit) -> None:
        self._visits.append(visit)

    def __iter__(self) -> Iterator[Visit]:
        return iter(self._visits)

    def __len__(self) -> int:
        return len(self._visits)

    def counts(self) -> Counter[tuple[str, str]]:
        """Questions by server and outcome."""
        return Counter((visit.server, visit.outcome) for visit in self._visits)


@dataclass(frozen=True, slots=True)
class Errand:
    """One question that a resolver had to put to an authoritative server, and what came back."""

    at: float
    resolver: str
    address: str
    name: Name
    rtype: int
    outcome: str


class Errands:
    """Hang it on a resolver's asker."""

    def __init__(self, resolver: str, kept: list[Errand]) -> None:
        self._resolver = resolver
        self._kept = kept

    def __call__(self, reply: Reply) -> None:
        self._kept.append(Errand(reply.at, self._resolver, reply.server, reply.name, reply.rtype, reply.outcome))
