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


@dataclass(frozen=True)
class HostObject:
    """A name server as the registry knows it. ``linked``: a domain leans on it, None where that is not known."""

    name: Name
    addresses: tuple[str, ...]
    linked: bool | None
    registrar: str = ""


class Registrar(Protocol):
    """An account through which registrations are seen and changed. ``by_hand``: only a person can change anything, in a form."""

    name: str
    by_hand: bool

    async def registration(self, domain: Name) -> Registration:
        """Raises :class:`OutsideFault`."""

    async def change_nameservers(self, domain: Name, add: Iterable[Name], remove: Iterable[Name]) -> str:
        """Changes the NS set at the registry; what the registry said. Raises :class:`OutsideFault`."""

    async def change_statuses(self, domain: Name, add: Iterable[str], remove: Iterable[str]) -> str:
        """Sets and takes away statuses (RFC 5731 s2.3); what the registry said. Raises :class:`OutsideFault`."""

    async def renew(self, domain: Name, expires: str, years: int) -> str:
        """Renews a registration that expires on that date; what the registry said. Raises :class:`OutsideFault`."""

    async def host(self, name: Name) -> HostObject | None:
        """The host object; None where there is none. Raises :class:`OutsideFault`."""

    async def change_host(self, name: Name, add: Iterable[str], remove: Iterable[str], create: bool) -> str:
        """Makes a host with addresses, or changes them; what the registry said. Raises :class:`OutsideFault`."""

    async def delete_host(self, name: Name) -> str:
        """Takes the host away; what the registry said. Raises :class:`OutsideFault`."""
