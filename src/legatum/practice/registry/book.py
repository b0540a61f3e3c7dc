"""What a registry has written down, and what follows from it; the desks beside this file change it by their rules."""

import secrets
from collections import deque
from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from typing import Any

from legatum.core.calendar.instant import instant_text, parse_instant
from legatum.core.records.name import Name, is_under
from legatum.practice.clock import WorldClock
from legatum.wire import epp

DAY = 86400.0
YEAR = 365 * DAY
LONGEST = 10  # years that a registration may reach ahead


def ruling(code: int, reason: str = "", **brought: Any) -> epp.Response:
    """What a desk says; the session adds the identifiers."""
    return epp.Response(code, reason, "", "", **brought)


@dataclass
class Notice:
    """A message that waits for a registrar."""

    ident: str
    at: float
    text: str
    transfer: epp.TransferData | None = None


@dataclass
class Book:
    """``grace``: domain → grace status → until when. ``suffixes``: what the registry registers below; ``transfers``:
    the latest of each."""

    clock: WorldClock
    suffixes: tuple[Name, ...]
    passwords: dict[str, str]
    domains: dict[Name, epp.DomainData] = field(default_factory=dict)
    hosts: dict[Name, epp.HostData] = field(default_factory=dict)
    contacts: dict[str, epp.ContactData] = field(default_factory=dict)
    transfers: dict[Name, epp.TransferData] = field(default_factory=dict)
    grace: dict[Name, dict[str, float]] = field(default_factory=dict)
    queues: dict[str, deque[Notice]] = field(default_factory=dict)
    numbers: int = 0

    def number(self) -> int:
        self.numbers += 1
        return self.numbers

    def now_text(self) -> str:
        return instant_text(self.clock.now())

    def own(self, registrar: str, domain: Name) -> epp.DomainData | epp.Response:
        """The registrar's own domain, or why not."""
        found = self.domains.get(domain)
        if found is None:
            return ruling(epp.NOT_THERE)
        return found if found.registrar == registrar else ruling(epp.AUTHORISATION)

    def keep(self, data: epp.DomainData, statuses: Iterable[str] | None = None) -> epp.DomainData:
        """Writes a change down. A domain with no other status is ``ok`` (RFC 5731 s2.3)."""
        said = set(data.statuses if statuses is None else statuses) - {"ok"}
        kept = replace(data, statuses=tuple(sorted(said)) or ("ok",), updated=self.now_text())
        self.domains[data.name] = kept
        return kept

    def users_of(self, host: Name) -> list[Name]:
        return [domain for domain, data in self.domains.items() if host in data.nameservers]

    def above(self, host: Name) -> Name | None:
        """The registered domain that a host lies below."""
        return next((domain for domain in self.domains if is_under(host, domain)), None)

    def below(self, domain: Name) -> list[Name]:
        return sorted(host for host in self.hosts if is_under(host, domain))

    def in_grace(self, domain: Name) -> tuple[str, ...]:
        """Grace periods that have not passed (RFC 3915 s3.1)."""
        now = self.clock.now()
        return tuple(status for status, until in self.grace.get(domain, {}).items() if until > now)

    def give_grace(self, domain: Name, status: str, days: float) -> float:
        """Until when it lasts."""
        until = self.clock.now() + days * DAY
        self.grace.setdefault(domain, {})[status] = until
        return until

    def longer(self, expires: str, years: int) -> str | None:
        """The later date; None where it would reach too far ahead."""
        until = parse_instant(expires) + years * YEAR
        return instant_text(until) if until <= self.clock.now() + LONGEST * YEAR else None

    def tell(self, registrar: str, text: str, transfer: epp.TransferData | None = None) -> None:
        """Puts a message into a registrar's queue."""
        self.queues.setdefault(registrar, deque()).append(Notice(str(self.number()), self.clock.now(), text, transfer))

    def waiting(self, registrar: str) -> epp.Response:
        """The first message of the queue (RFC 5730 s2.9.2.3)."""
        queue = self.queues.get(registrar)
        if not queue:
            return ruling(epp.NO_MESSAGES)
        first = queue[0]
        message = epp.Message(first.ident, len(queue), instant_text(first.at), first.text)
        return ruling(epp.MESSAGE, message=message, transfer=first.transfer)

    def acknowledge(self, registrar: str, ident: str) -> epp.Response:
        queue = self.queues.get(registrar)
        if not queue or queue[0].ident != ident:
            return ruling(epp.NOT_THERE)
        queue.popleft()
        return ruling(epp.OK, message=epp.Message(queue[0].ident, len(queue))) if queue else ruling(epp.OK)

    def knows(self, registrar: str, password: str) -> bool:
        return secrets.compare_digest(self.passwords.get(registrar, "\0").encode(), password.encode())
