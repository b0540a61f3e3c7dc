"""Registrars with nothing but a form in a browser: what they hold is seen at the parent's servers, changed by a
person."""

from collections.abc import AsyncIterator, Callable, Iterable, Sequence

from legatum.core.records.address import address_text
from legatum.core.records.name import Name, name_text, parent_of
from legatum.core.records.presentation import rdata_text
from legatum.core.records.rrtype import AAAA, DS, NS, A
from legatum.core.running.fault import Fault, OutsideFault
from legatum.net.asking.walk import Walker
from legatum.services.registrar import (
    Availability,
    ByHand,
    Contact,
    Glue,
    HostObject,
    NsChange,
    QueuedMessage,
    Registration,
    Transfer,
)
from legatum.settings.document import ManualRegistrar


class FormRegistrar:
    """A :class:`~legatum.services.registrar.Registrar`."""

    def __init__(self, name: str, settings: ManualRegistrar, walking: Callable[[], Walker]) -> None:
        self.name = name
        self.by_hand = True
        self.with_addresses = False
        self.page, self.client = settings.page, ""
        self._walking = walking

    async def close(self) -> None:
        pass

    async def registration(self, domain: Name, code: str = "") -> Registration:
        """What the parent's servers publish, no name servers where they delegate it to nobody; statuses and dates are
        not known."""
        cut, reply = await self._walking().delegation_of(domain)
        if reply is None:
            raise OutsideFault(f"no server of {name_text(cut.zone)} answers", "look again when one does")
        said = (*reply.authority, *reply.answer)
        names = sorted(
            {Name(rdata) for each in said if each.name == domain and each.rtype == NS for rdata in each.rdatas}
        )
        return Registration(domain, self.name, tuple(names), (), "")

    async def registrations(self, domains: Sequence[Name]) -> AsyncIterator[tuple[Name, Registration | Fault]]:
        for domain in domains:
            try:
                yield domain, await self.registration(domain)
            except Fault as fault:
                yield domain, fault

    async def availability(self, domains: Sequence[Name]) -> list[Availability]:
        raise self._by_hand(f"look whether {', '.join(map(name_text, domains))} can be registered")

    async def change_nameservers(
        self, domain: Name, add: Iterable[Name], remove: Iterable[Name], glue: Glue = ()
    ) -> str:
        raise self._by_hand(*(f"+ {name_text(name)}" for name in add), *(f"- {name_text(name)}" for name in remove))

    async def change_many(self, changes: Sequence[NsChange]) -> AsyncIterator[tuple[Name, str | Fault]]:
        for each in changes:
            yield each.domain, self._by_hand(f"name servers of {name_text(each.domain)}")

    async def change_ds(
        self, domain: Name, add: Iterable[bytes], remove: Iterable[bytes], keys: Iterable[bytes] = ()
    ) -> str:
        raise self._by_hand(
            *(f"+ DS {rdata_text(DS, each)}" for each in add), *(f"- DS {rdata_text(DS, each)}" for each in remove)
        )

    async def change_statuses(self, domain: Name, add: Iterable[str], remove: Iterable[str]) -> str:
        raise self._by_hand(*(f"+ {each}" for each in add), *(f"- {each}" for each in remove))

    async def contact(self, ident: str) -> Contact | None:
        raise self._by_hand(f"look whether there is a contact {ident}")

    async def make_contact(self, contact: Contact, code: str) -> str:
        raise self._by_hand(f"make the contact {contact.ident}")

    async def change_registrant(self, domain: Name, contact: str) -> str:
        raise self._by_hand(f"{name_text(domain)} to contact {contact}")

    async def renew(self, domain: Name, expires: str, years: int) -> str:
        raise self._by_hand(f"renew {name_text(domain)} for {years} year{'s' if years > 1 else ''}")

    async def restore(self, domain: Name, report: Sequence[tuple[str, str]] = ()) -> str:
        raise self._by_hand(f"have {name_text(domain)} restored")

    async def code(self, domain: Name) -> str:
        raise self._by_hand(f"have the authorisation code of {name_text(domain)} shown or sent")

    async def change_code(self, domain: Name, code: str) -> str:
        raise self._by_hand(f"a new authorisation code for {name_text(domain)}")

    async def transfer(self, domain: Name, op: str, code: str = "", years: int = 0) -> str:
        words = {
            "request": "ask for the transfer in, with the authorisation code",
            "approve": "approve the transfer out",
        }
        raise self._by_hand(f"{name_text(domain)}: {words.get(op, f'{op} the transfer')}")

    async def transfer_state(self, domain: Name) -> Transfer | None:
        return None

    async def messages(self, take: Callable[[QueuedMessage], bool]) -> list[QueuedMessage]:
        raise OutsideFault(f"{self.name} has no queue that can be read", "look into the mail that it sends")

    async def change_password(self, new: str) -> None:
        raise self._by_hand("another password")

    async def host(self, name: Name) -> HostObject | None:
        """The glue that the parent's servers hand out for it."""
        _, reply = await self._walking().delegation_of(parent_of(name))
        found = (
            [each for each in reply.additional if each.name == name and each.rtype in (A, AAAA)]
            if reply is not None
            else []
        )
        addresses = tuple(sorted(address_text(rdata) for each in found for rdata in each.rdatas))
        return HostObject(name, addresses, None) if addresses else None

    async def change_host(self, name: Name, add: Iterable[str], remove: Iterable[str], create: bool) -> str:
        told = [f"+ {each}" for each in add] + [f"- {each}" for each in remove]
        raise self._by_hand(f"host {name_text(name)} {', '.join(told)}")

    async def delete_host(self, name: Name) -> str:
        raise self._by_hand(f"take the host {name_text(name)} away")

    def _by_hand(self, *told: str) -> ByHand:
        return ByHand(self.name, self.page, told)
