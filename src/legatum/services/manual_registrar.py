"""Registrars with nothing but a form in a browser: what they hold is seen at the parent's servers, changed by a person."""

from collections.abc import Iterable

from legatum.core.address import address_text
from legatum.core.fault import OutsideFault
from legatum.core.name import Name, name_text, parent_of
from legatum.core.rrtype import AAAA, NS, A
from legatum.net.walk import Walker
from legatum.services.registrar import HostObject, Registration
from legatum.settings.document import ManualRegistrar


class FormRegistrar:
    """A :class:`~legatum.services.registrar.Registrar`."""

    def __init__(self, name: str, settings: ManualRegistrar, walker: Walker) -> None:
        self.name = name
        self.by_hand = True
        self.page = settings.page
        self._walker = walker

    async def registration(self, domain: Name) -> Registration:
        """What the parent's servers publish; statuses and dates are not known."""
        _, reply = await self._walker.delegation_of(domain)
        said = (*reply.authority, *reply.answer) if reply is not None else ()
        names = sorted({Name(rdata) for each in said if each.name == domain and each.rtype == NS for rdata in each.rdatas})
        if not names:
            raise OutsideFault(f"{name_text(domain)} is not delegated", "is it registered, and does it have name servers?")
        return Registration(domain, self.name, tuple(names), (), "")

    async def change_nameservers(self, domain: Name, add: Iterable[Name], remove: Iterable[Name]) -> str:
        told = [f"+ {name_text(name)}" for name in add] + [f"- {name_text(name)}" for name in remove]
        raise OutsideFault(
            f"{self.name} is changed by hand only: {', '.join(told)}",
            self._form(),
        )

    async def change_statuses(self, domain: Name, add: Iterable[str], remove: Iterable[str]) -> str:
        raise OutsideFault(
            f"{self.name} is changed by hand only: {', '.join([*(f'+ {each}' for each in add), *(f'- {each}' for each in remove)])}",
            f"set or lift the lock in the form{f' at {self.page}' if self.page else ''}",
        )

    async def renew(self, domain: Name, expires: str, years: int) -> str:
        raise OutsideFault(f"{self.name} is changed by hand only: renew {name_text(domain)} for {years} years", self._form())

    async def host(self, name: Name) -> HostObject | None:
        """The glue that the parent's servers hand out for it."""
        _, reply = await self._walker.delegation_of(parent_of(name))
        found = [each for each in reply.additional if each.name == name and each.rtype in (A, AAAA)] if reply is not None else []
        addresses = tuple(sorted(address_text(rdata) for each in found for rdata in each.rdatas))
        return HostObject(name, addresses, None) if addresses else None

    async def change_host(self, name: Name, add: Iterable[str], remove: Iterable[str], create: bool) -> str:
        told = [f"+ {each}" for each in add] + [f"- {each}" for each in remove]
        raise OutsideFault(f"{self.name} is changed by hand only: host {name_text(name)} {', '.join(told)}", self._form())

    async def delete_host(self, name: Name) -> str:
        raise OutsideFault(f"{self.name} is changed by hand only: take the host {name_text(name)} away", self._form())

    def _form(self) -> str:
        return f"type it into the form{f' at {self.page}' if self.page else ''}, then go on with the same command"
