"""Registrars whose registry speaks EPP (RFC 5730-5734)."""

from collections.abc import Iterable
from pathlib import Path

from legatum.core.fault import OutsideFault
from legatum.core.name import Name
from legatum.net.epp import EppAccount, EppSession
from legatum.net.route import Route, Unreachable
from legatum.services.registrar import HostObject, Registration
from legatum.settings.document import EppRegistrar
from legatum.settings.secret import read_secret
from legatum.wire.epp import Response, meaning


class RegistryAccount:
    """A :class:`~legatum.services.registrar.Registrar`."""

    def __init__(self, name: str, settings: EppRegistrar, folder: Path, route: Route) -> None:
        self.name = name
        self.by_hand = False
        try:
            endpoint = route.endpoint(settings.address or settings.server, settings.port)
        except Unreachable as error:
            raise OutsideFault(f"registrar {name}: {error}", "add the registry's address to the map") from None
        authority = str(folder / settings.authority) if settings.authority else None
        self._account = EppAccount(settings.server, endpoint, settings.user, read_secret(settings.password, folder), authority)

    async def registration(self, domain: Name) -> Registration:
        async with EppSession(self._account) as session:
            data = await session.domain_info(domain)
        return Registration(domain, data.registrar, data.nameservers, data.statuses, data.expires)

    async def change_nameservers(self, domain: Name, add: Iterable[Name], remove: Iterable[Name]) -> str:
        async with EppSession(self._account) as session:
            response = await session.change_nameservers(domain, list(add), list(remove))
        return _said(response)

    async def change_statuses(self, domain: Name, add: Iterable[str], remove: Iterable[str]) -> str:
        async with EppSession(self._account) as session:
            response = await session.change_statuses(domain, list(add), list(remove))
        return _said(response)

    async def renew(self, domain: Name, expires: str, years: int) -> str:
        async with EppSession(self._account) as session:
            response = await session.renew(domain, expires, years)
        return _said(response)

    async def host(self, name: Name) -> HostObject | None:
        async with EppSession(self._account) as session:
            data = await session.host(name)
        return HostObject(name, tuple(sorted(data.addresses)), "linked" in data.statuses, data.registrar) if data else None

    async def change_host(self, name: Name, add: Iterable[str], remove: Iterable[str], create: bool) -> str:
        async with EppSession(self._account) as session:
            response = await session.change_host(name, list(add), list(remove), create)
        return _said(response)

    async def delete_host(self, name: Name) -> str:
        async with EppSession(self._account) as session:
            response = await session.delete_host(name)
        return _said(response)


def _said(response: Response) -> str:
    return f"{meaning(response.code)} ({response.code}), registry's number {response.server_id}"
