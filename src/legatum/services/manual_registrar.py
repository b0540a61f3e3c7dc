"""Registrars with nothing but a form in a browser: what they hold is seen at the parent's servers, changed by a person."""

from collections.abc import Iterable

from legatum.core.fault import OutsideFault
from legatum.core.name import Name, name_text
from legatum.core.rrtype import NS
from legatum.net.walk import Walker
from legatum.services.registrar import Registration
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
            f"type it into the form{f' at {self.page}' if self.page else ''}, then go on with the same command",
        )

    async def change_statuses(self, domain: Name, add: Iterable[str], remove: Iterable[str]) -> str:
        raise OutsideFault(
            f"{self.name} is changed by hand only: {', '.join([*(f'+ {each}' for each in add), *(f'- {each}' for each in remove)])}",
            f"set or lift the lock in the form{f' at {self.page}' if self.page else ''}",
        )
