"""What every registrar can do, whatever its kind."""

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Protocol

from legatum.core.name import Name


@dataclass(frozen=True)
class Registration:
    """What the registry holds about a domain. Dates in RFC 3339."""

    domain: Name
    registrar: str
    nameservers: tuple[Name, ...]
    statuses: tuple[str, ...]
    expires: str


class Registrar(Protocol):
    """An account through which registrations are seen and changed."""

    name: str

    async def registration(self, domain: Name) -> Registration:
        """Raises :class:`OutsideFault`."""

    async def change_nameservers(self, domain: Name, add: Iterable[Name], remove: Iterable[Name]) -> str:
        """Changes the NS set at the registry; what the registry said. Raises :class:`OutsideFault`."""
