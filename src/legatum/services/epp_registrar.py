"""Registrars whose registry speaks EPP (RFC 5730-5734).

When a connection drops after a command was sent, nobody knows whether it took effect. Then the registry is asked, and
the command is sent again only where looking shows that it did not.
"""

import asyncio
import sys
from collections.abc import AsyncIterator, Awaitable, Callable, Iterable, Sequence
from contextlib import asynccontextmanager
from dataclasses import replace
from functools import partial
from pathlib import Path

from legatum.core.dnssec.serving import keys_of_ds
from legatum.core.records.name import Name, is_under, labels_of, name_text, parent_of
from legatum.core.running.fault import Fault, OutsideFault
from legatum.net.asking.route import Route, Unreachable
from legatum.net.registry.epp import AnswerLost, EppAccount, EppSession, Refused, Sending, no_one_told, refusal
from legatum.services.registrar import (
    Availability,
    Contact,
    Glue,
    HostObject,
    NsChange,
    QueuedMessage,
    Registration,
    Transfer,
)
from legatum.settings.document import EppRegistrar
from legatum.settings.secret import read_secret
from legatum.wire import epp

_Send = Callable[[EppSession], Awaitable[epp.Response]]
_Seen = Callable[[EppSession], Awaitable[bool]]
_KEPT = 60.0  # seconds without a command after which a server may have closed a session, or is about to
_LOST = "done, as looking showed: the connection had dropped before the answer"


class RegistryAccount:
    """A :class:`~legatum.services.registrar.Registrar`. ``sending`` is told of each changing command before it goes.

    A session is kept for what comes next, and logged out of by :meth:`close`. Work that goes on side by side has a
    session each.
    """

    def __init__(
        self, name: str, settings: EppRegistrar, folder: Path, route: Route, sending: Sending = no_one_told
    ) -> None:
        self.name = name
        self.by_hand, self.page, self.client = False, "", settings.user
        self.with_addresses, self._by_keys = settings.nameservers == "attributes", settings.ds_as == "keys"
        self._sending = sending
        try:
            endpoint = route.endpoint(settings.address or settings.server, settings.port)
        except Unreachable as error:
            raise OutsideFault(f"registrar {name}: {error}", "add the registry's address to the map") from None
        self._kept: list[tuple[EppSession, float]] = []
        authority = str(folder / settings.authority) if settings.authority else None
        self._account = EppAccount(
            settings.server, endpoint, settings.user, read_secret(settings.password, folder), authority,
            by_attribute=self.with_addresses, at_once=settings.at_once,
        )  # fmt: skip

    # Looking

    async def greeted(self) -> epp.Greeting:
        """What the server offers, to somebody who is logged in."""
        async with self._session() as session:
            return session.greeting

    async def registration(self, domain: Name, code: str = "") -> Registration:
        async with self._session() as session:
            return _registration(await session.domain_info(domain, code))

    async def registrations(self, domains: Sequence[Name]) -> AsyncIterator[tuple[Name, Registration | Fault]]:
        async with self._session() as session:
            asked = [(domain, "info", partial(epp.domain_info, domain)) for domain in domains]
            names = iter(domains)
            async for response in session.stream(asked, changing=False):
                domain = next(names)
                if response.ok and response.domain is not None:
                    yield domain, _registration(response.domain)
                else:
                    yield domain, Refused(*refusal(f"info of {name_text(domain)}", response), response.code)

    async def availability(self, domains: Sequence[Name]) -> list[Availability]:
        async with self._session() as session:
            return [Availability(each.what, each.free, each.reason) for each in await session.check(domains)]

    async def host(self, name: Name) -> HostObject | None:
        async with self._session() as session:
            if self.with_addresses:
                domain = await self._naming(session, name)
                return (
                    HostObject(name, tuple(sorted(dict(domain.glue)[name])), True, domain.registrar) if domain else None
                )
            data = await session.host(name)
        return (
            HostObject(name, tuple(sorted(data.addresses)), "linked" in data.statuses, data.registrar) if data else None
        )

    async def _naming(self, session: EppSession, host: Name) -> epp.DomainData | None:
        """Where there are no host objects: the domain above the host, if its NS set has the host with its addresses."""
        domain = host
        while len(labels_of(domain)) > 2:
            domain = parent_of(domain)
            try:
                found = await session.domain_info(domain)
            except Refused as refused:
                if refused.code != epp.NOT_THERE:
                    raise
            else:
                return found if host in dict(found.glue) else None
        return None

    async def code(self, domain: Name) -> str:
        async with self._session() as session:
            return (await session.domain_info(domain)).code

    async def transfer_state(self, domain: Name) -> Transfer | None:
        async with self._session() as session:
            found = await session.transfer_state(domain)
        return Transfer(found.status, found.asking, found.asked, found.acting, found.acts_by) if found else None

    async def messages(self, take: Callable[[QueuedMessage], bool]) -> list[QueuedMessage]:
        """A message is acknowledged once it is in hand, so that none is lost when the connection is."""
        found: list[QueuedMessage] = []
        async with self._session() as session:
            while (first := await session.message()) is not None:
                message, transfer = first
                about = transfer.name if transfer is not None else None
                found.append(QueuedMessage(message.ident, message.date, message.text, message.count - 1, about))
                if not take(found[-1]):
                    break
                await session.acknowledge(message.ident)
                found[-1] = replace(found[-1], taken=True)
        return found

    # Changing

    async def change_nameservers(
        self, domain: Name, add: Iterable[Name], remove: Iterable[Name], glue: Glue = ()
    ) -> str:
        change = self._ns_change(NsChange(domain, tuple(add), tuple(remove), glue))
        async with self._session() as session:
            await self._make_hosts(session, change.add, (domain,))
        return await self._update(domain, change, "name servers", lambda held: _has_servers(held, change))

    async def change_many(self, changes: Sequence[NsChange]) -> AsyncIterator[tuple[Name, str | Fault]]:
        """What a dropped connection left unanswered is looked at, and done one by one."""
        answered = 0
        new = tuple(dict.fromkeys(host for each in changes for host in each.add))
        try:
            async with self._session() as session:
                await self._make_hosts(session, new, [each.domain for each in changes])
                built = [
                    (each.domain, "name servers", session.update_builder(each.domain, self._ns_change(each)))
                    for each in changes
                ]
                async for response in session.stream(built):
                    domain = changes[answered].domain
                    answered += 1
                    yield domain, self._said_or_refused(domain, response)
        except AnswerLost:
            for each in changes[answered:]:
                yield each.domain, await self._one(each)

    async def _make_hosts(self, session: EppSession, hosts: Sequence[Name], domains: Sequence[Name]) -> None:
        """Registries with host objects want one of every name server, without addresses for those elsewhere (RFC 5731
        s1.1).

        Raises :class:`OutsideFault` for one below the domain itself: that needs addresses.
        """
        if self.with_addresses or not hosts:
            return
        for host in await session.missing_hosts(hosts):
            if any(is_under(host, domain) for domain in domains):
                raise OutsideFault(
                    f"{self.name} has no host {name_text(host)}",
                    "`legatum hosts set HOST --address ADDRESS` makes it",
                )
            await session.change_host(host, [], [], True)

    async def make_contact(self, contact: Contact, code: str) -> str:
        made = epp.ContactData(contact.ident, contact.name, contact.city, contact.country, contact.email, code=code)
        async with self._session() as session:
            return _said(await session.make_contact(made))

    async def contact(self, ident: str) -> Contact | None:
        async with self._session() as session:
            found = await session.contact(ident)
        return Contact(found.ident, found.name, found.city, found.country, found.email) if found else None

    async def _one(self, each: NsChange) -> str | Fault:
        try:
            change = self._ns_change(each)
            async with self._session() as session:
                if _has_servers(await session.domain_info(each.domain), change):
                    return _LOST
            return await self.change_nameservers(each.domain, each.add, each.remove, each.glue)
        except Fault as fault:
            return fault

    async def change_ds(
        self, domain: Name, add: Iterable[bytes], remove: Iterable[bytes], keys: Iterable[bytes] = ()
    ) -> str:
        come, go = set(add), set(remove)
        change = epp.DomainChange(add_ds=tuple(sorted(come)), remove_ds=tuple(sorted(go)))
        if self._by_keys:
            async with self._session() as session:
                held = (await session.domain_info(domain)).keys
            change = epp.DomainChange(add_keys=keys_of_ds(domain, come, keys), remove_keys=keys_of_ds(domain, go, held))
        return await self._update(
            domain, change, "DS records", lambda held: come <= set(held.ds) and not go & set(held.ds)
        )

    async def change_statuses(self, domain: Name, add: Iterable[str], remove: Iterable[str]) -> str:
        change = epp.DomainChange(add_statuses=tuple(add), remove_statuses=tuple(remove))
        come, go = set(change.add_statuses), set(change.remove_statuses)
        return await self._update(
            domain, change, "statuses", lambda held: come <= set(held.statuses) and not go & set(held.statuses)
        )

    async def change_registrant(self, domain: Name, contact: str) -> str:
        async with self._session() as session:
            if await session.contact(contact) is None:
                raise OutsideFault(f"{self.name} has no contact {contact}", "make it there first, or name another")
        return await self._update(
            domain, epp.DomainChange(registrant=contact), "registrant", lambda held: held.registrant == contact
        )

    async def change_code(self, domain: Name, code: str) -> str:
        return await self._update(
            domain, epp.DomainChange(code=code), "authorisation code", lambda held: held.code == code
        )

    async def renew(self, domain: Name, expires: str, years: int) -> str:
        async def seen(session: EppSession) -> bool:
            return (await session.domain_info(domain)).expires > expires

        return await self._change(lambda session: session.renew(domain, expires, years), seen)

    async def restore(self, domain: Name, report: Sequence[tuple[str, str]] = ()) -> str:
        async def seen(session: EppSession) -> bool:
            grace = (await session.domain_info(domain)).grace
            return "redemptionPeriod" not in grace and (not report or "pendingRestore" not in grace)

        return await self._change(lambda session: session.restore(domain, report), seen)

    async def transfer(self, domain: Name, op: str, code: str = "", years: int = 0) -> str:
        async def seen(session: EppSession) -> bool:
            standing = await session.transfer_state(domain)
            wanted = {
                "request": "pending",
                "approve": "clientApproved",
                "reject": "clientRejected",
                "cancel": "clientCancelled",
            }[op]
            return standing is not None and standing.status == wanted

        return await self._change(lambda session: session.transfer(domain, op, code, years), seen)

    async def change_host(self, name: Name, add: Iterable[str], remove: Iterable[str], create: bool) -> str:
        come, go = list(add), list(remove)
        if self.with_addresses:
            return await self._change_attribute(name, come, go)

        async def seen(session: EppSession) -> bool:
            held = await session.host(name)
            return held is not None and set(come) <= set(held.addresses) and not set(go) & set(held.addresses)

        return await self._change(lambda session: session.change_host(name, come, go, create), seen)

    async def _change_attribute(self, host: Name, come: list[str], go: list[str]) -> str:
        """Where there are no host objects: out of the NS set and into it with the other addresses, in one command."""
        async with self._session() as session:
            domain = await self._naming(session, host)
        if domain is None:
            raise OutsideFault(
                f"{self.name} takes addresses with the NS set, and {name_text(host)} is not in it",
                "`legatum hosts enlist HOST` puts it there",
            )
        addresses = tuple(each for each in (*dict(domain.glue)[host], *come) if each not in go)
        change = epp.DomainChange((host,), (host,), by_attribute=True, glue=((host, addresses),))
        return await self._update(
            domain.name, change, "addresses", lambda held: set(dict(held.glue).get(host, ())) == set(addresses)
        )

    async def delete_host(self, name: Name) -> str:
        async def seen(session: EppSession) -> bool:
            return await session.host(name) is None

        return await self._change(lambda session: session.delete_host(name), seen)

    async def change_password(self, new: str) -> None:
        """Has the registry take another password from now on (RFC 5730 s2.9.1.1)."""
        async with EppSession(self._account, self._sending, new):
            pass

    # One change

    async def _update(
        self, domain: Name, change: epp.DomainChange, words: str, holds: Callable[[epp.DomainData], bool]
    ) -> str:
        async def seen(session: EppSession) -> bool:
            return holds(await session.domain_info(domain))

        return await self._change(lambda session: session.update(domain, change, words), seen)

    async def _change(self, send: _Send, seen: _Seen) -> str:
        opened = False
        try:
            async with self._session() as session:
                opened = True
                return _said(await send(session))
        except AnswerLost:
            if not opened:
                raise
        async with self._session() as session:
            return _LOST if await seen(session) else _said(await send(session))

    def _ns_change(self, change: NsChange) -> epp.DomainChange:
        return epp.DomainChange(change.add, change.remove, by_attribute=self.with_addresses, glue=change.glue)

    def _said_or_refused(self, domain: Name, response: epp.Response) -> str | Fault:
        if response.ok:
            return _said(response)
        return Refused(*refusal(f"name servers of {name_text(domain)}", response), response.code)

    @asynccontextmanager
    async def _session(self) -> AsyncIterator[EppSession]:
        """One that is kept, or a new one. After a failure it is not used again."""
        session = await self._opened()
        try:
            yield session
        except BaseException:
            await session.__aexit__(*sys.exc_info())
            raise
        self._kept.append((session, asyncio.get_running_loop().time()))

    async def _opened(self) -> EppSession:
        while self._kept:
            session, since = self._kept.pop()
            if session.is_open and asyncio.get_running_loop().time() < since + _KEPT:
                return session
            await session.__aexit__(None, None, None)
        return await EppSession(self._account, self._sending).__aenter__()

    async def close(self) -> None:
        """Logs out."""
        while self._kept:
            await self._kept.pop()[0].__aexit__(None, None, None)


def _registration(data: epp.DomainData) -> Registration:
    return Registration(
        data.name,
        data.registrar,
        data.nameservers,
        data.statuses,
        data.expires,
        data.created,
        data.transferred,
        data.ds,
        data.hosts,
        data.grace,
        data.registrant,
        data.updated,
    )


def _has_servers(held: epp.DomainData, change: epp.DomainChange) -> bool:
    return set(change.add) <= set(held.nameservers) and not set(change.remove) & set(held.nameservers)


def _said(response: epp.Response) -> str:
    return f"{epp.meaning(response.code)} ({response.code}), registry's reference {response.server_id}"
