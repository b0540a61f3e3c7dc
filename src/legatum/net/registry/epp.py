"""An EPP session over TLS (RFC 5734) as a client.

Commands are answered in the order in which they were sent, so that several may be under way (RFC 5734 s3). A connection
that drops while an answer is outstanding is an :class:`AnswerLost`: what became of the command must be looked at before
it is sent again.
"""

import asyncio
import contextlib
import secrets
import ssl
from collections import deque
from collections.abc import AsyncIterator, Callable, Iterable, Sequence
from dataclasses import dataclass, field
from types import TracebackType

from legatum.core.records.name import Name, name_text
from legatum.core.running.fault import OutsideFault
from legatum.net.asking.route import Endpoint
from legatum.wire import epp
from legatum.wire.malformed import Malformed

Builder = Callable[[str], bytes]
Sending = Callable[[Sequence[tuple[str, Name, str]]], None]
"""Is told of commands before they go: client transaction identifier, object, what it is."""
_LOOK = "look what the registry holds before trying again"


class AnswerLost(OutsideFault):
    """A command was sent, and its answer never came: nobody knows whether it took effect."""


class Refused(OutsideFault):
    """The registry said no. ``code``: its result code."""

    def __init__(self, message: str, remedy: str, code: int) -> None:
        super().__init__(message, remedy)
        self.code = code


@dataclass(frozen=True)
class EppAccount:
    """Where and as whom to log in. ``authority``: a PEM file of own certificate authorities, or None for the system's;
    ``by_attribute``: the registry takes name servers as attributes; ``at_once``: commands that may be under way
    together; ``silence``: seconds after which a session is tried with a hello before it is used."""

    server: str
    endpoint: Endpoint
    user: str
    password: str = field(repr=False)
    authority: str | None = None
    timeout: float = 10.0
    by_attribute: bool = False
    at_once: int = 8
    silence: float = 60.0


def no_one_told(commands: Sequence[tuple[str, Name, str]]) -> None:
    """Nobody wants to know what is sent."""


class EppSession:
    """``async with EppSession(account)``: connected, greeted and logged in; logged out at the end. Raises
    :class:`OutsideFault`.

    ``sending`` is told of every changing command before it goes.
    """

    def __init__(self, account: EppAccount, sending: Sending = no_one_told, new_password: str = "") -> None:
        self._account = account
        self._sending = sending
        self._new_password = new_password
        self._heard = 0.0
        self._reader: asyncio.StreamReader
        self._writer: asyncio.StreamWriter
        self.greeting: epp.Greeting

    async def __aenter__(self) -> "EppSession":
        account = self._account
        try:
            async with asyncio.timeout(account.timeout):
                context = ssl.create_default_context(cafile=account.authority)
                self._reader, self._writer = await asyncio.open_connection(
                    account.endpoint.host, account.endpoint.port, ssl=context, server_hostname=account.server
                )
        except ssl.SSLCertVerificationError as error:
            raise OutsideFault(
                f"{account.server}: the certificate is not trusted: {error.verify_message}",
                "give the registry's authority in the settings",
            ) from None
        except TimeoutError:
            raise OutsideFault(
                f"{account.server}: no connection in time", "is the registry reachable from here?"
            ) from None
        except OSError as error:
            raise OutsideFault(
                f"{account.server}: {error.strerror or error}", "is the registry reachable from here?"
            ) from None
        try:
            self.greeting = await self._greeting()
            response = await self._exchange(
                lambda ident: epp.login(account.user, account.password, self.greeting, ident, self._new_password)
            )
            if not response.ok:
                raise Refused(
                    f"{account.server} as {account.user}: {epp.meaning(response.code)} ({response.code})",
                    "check the registrar's user name and password in the settings",
                    response.code,
                )
        except BaseException:
            self._writer.close()
            raise
        return self

    async def __aexit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        try:
            if error is None:
                await self._exchange(epp.logout)
        except OutsideFault:
            pass  # the work is done; how the server takes its leave changes nothing
        finally:
            self._writer.close()

    @property
    def is_open(self) -> bool:
        """As far as can be known without asking: the server has not closed it."""
        return not self._writer.is_closing() and not self._reader.at_eof()

    # Looking

    async def hello(self) -> epp.Greeting:
        """Keeps the session alive (RFC 5730 s2.3)."""
        await self._send(epp.hello())
        return await self._greeting()

    async def check(self, domains: Iterable[Name]) -> tuple[epp.Availability, ...]:
        return (await self._asked("check", lambda ident: epp.domain_check(domains, ident))).checked

    async def domain_info(self, domain: Name, code: str = "") -> epp.DomainData:
        response = await self._asked(f"info of {name_text(domain)}", lambda ident: epp.domain_info(domain, ident, code))
        if response.domain is None:
            raise self._refused(f"info of {name_text(domain)}", response)
        return response.domain

    async def host(self, host: Name) -> epp.HostData | None:
        """None where there is no such host object."""
        with contextlib.suppress(_NotThere):
            return (await self._asked(f"host {name_text(host)}", lambda ident: epp.host_info(host, ident))).host
        return None

    async def missing_hosts(self, hosts: Sequence[Name]) -> list[Name]:
        """Those of which the registry has no host object."""
        checked = (await self._asked("check of hosts", lambda ident: epp.host_check(hosts, ident))).checked
        free = {each.what.lower().rstrip(".") for each in checked if each.free and each.kind == "host"}
        return [host for host in hosts if name_text(host) in free]

    async def contact(self, contact: str) -> epp.ContactData | None:
        """None where there is no such contact."""
        with contextlib.suppress(_NotThere):
            return (await self._asked(f"contact {contact}", lambda ident: epp.contact_info(contact, ident))).contact
        return None

    async def transfer_state(self, domain: Name) -> epp.TransferData | None:
        """Where the latest transfer stands; None where there was none."""
        try:
            what = f"transfer of {name_text(domain)}"
            return (await self._asked(what, lambda ident: epp.domain_transfer(domain, "query", ident))).transfer
        except Refused as refused:
            if refused.code == epp.NO_TRANSFER:
                return None
            raise

    async def message(self) -> tuple[epp.Message, epp.TransferData | None] | None:
        """The first message that waits, with the transfer that it is about; None when the queue is empty."""
        response = await self._asked("the queue of messages", epp.poll)
        return (
            (response.message, response.transfer)
            if response.message is not None and response.code == epp.MESSAGE
            else None
        )

    async def acknowledge(self, message: str) -> None:
        await self._asked("the queue of messages", lambda ident: epp.poll(ident, message))

    # Changing

    async def make_contact(self, contact: epp.ContactData) -> epp.Response:
        """Raises :class:`Refused`, also for one that exists."""
        return await self._asked(f"contact {contact.ident}", lambda ident: epp.contact_create(contact, ident))

    async def update(self, domain: Name, change: epp.DomainChange, words: str) -> epp.Response:
        return await self._changed(domain, words, self.update_builder(domain, change))

    def update_builder(self, domain: Name, change: epp.DomainChange) -> Builder:
        """Raises :class:`OutsideFault` for what this registry does not serve."""
        if (
            change.add_ds or change.remove_ds or change.add_keys or change.remove_keys
        ) and epp.SECDNS not in self.greeting.extensions:
            raise OutsideFault(
                f"{self._account.server} takes no DS records", "ask the registrar how DS records are published there"
            )
        return lambda ident: epp.domain_update(domain, change, ident)

    async def renew(self, domain: Name, expires: str, years: int) -> epp.Response:
        return await self._changed(domain, "renewal", lambda ident: epp.domain_renew(domain, expires, years, ident))

    async def transfer(self, domain: Name, op: str, code: str = "", years: int = 0) -> epp.Response:
        """``op``: ``request``, ``approve``, ``reject`` or ``cancel``."""
        return await self._changed(
            domain, f"transfer {op}", lambda ident: epp.domain_transfer(domain, op, ident, code, years)
        )

    async def restore(self, domain: Name, report: Sequence[tuple[str, str]] = ()) -> epp.Response:
        words = "report on the restoration" if report else "restoration"
        return await self._changed(domain, words, lambda ident: epp.domain_restore(domain, ident, report))

    async def change_host(self, host: Name, add: list[str], remove: list[str], create: bool) -> epp.Response:
        """Makes a host object with addresses, or changes them."""
        words = f"host {name_text(host)}"
        if create:
            return await self._changed(host, words, lambda ident: epp.host_create(host, add, ident))
        return await self._changed(host, words, lambda ident: epp.host_update(host, add, remove, ident))

    async def delete_host(self, host: Name) -> epp.Response:
        return await self._changed(host, f"host {name_text(host)} away", lambda ident: epp.host_delete(host, ident))

    async def stream(
        self, commands: Sequence[tuple[Name, str, Builder]], changing: bool = True
    ) -> AsyncIterator[epp.Response]:
        """Sends commands, as many at once as the account allows; their responses in order, refusals too."""
        numbered = [(_new_ident(), *command) for command in commands]
        if changing:
            self._sending([(ident, what, words) for ident, what, words, _ in numbered])
        waiting: deque[str] = deque()
        for ident, _, _, build in numbered:
            await self._send(build(ident))
            waiting.append(ident)
            if len(waiting) >= self._account.at_once:
                yield await self._answer(waiting.popleft())
        while waiting:
            yield await self._answer(waiting.popleft())

    # One command and its answer

    async def _asked(self, what: str, build: Builder) -> epp.Response:
        """Raises :class:`OutsideFault` when the registry does not tell."""
        response = await self._exchange(build)
        if not response.ok:
            raise self._refused(what, response)
        return response

    async def _changed(self, what: Name, words: str, build: Builder) -> epp.Response:
        """Raises :class:`Refused` when the registry refuses, :class:`AnswerLost` when nobody knows."""
        ident = _new_ident()
        self._sending([(ident, what, words)])
        response = await self._exchange(build, ident)
        if not response.ok:
            raise self._refused(f"{words} of {name_text(what)}" if name_text(what) not in words else words, response)
        return response

    async def _exchange(self, build: Builder, ident: str | None = None) -> epp.Response:
        if self._heard and asyncio.get_running_loop().time() - self._heard > self._account.silence:
            await self.hello()
        ident = ident or _new_ident()
        await self._send(build(ident))
        return await self._answer(ident)

    async def _answer(self, ident: str) -> epp.Response:
        try:
            response = epp.read_response(await self._receive())
        except Malformed as error:
            raise AnswerLost(f"{self._account.server} answered with {error}", "is that an EPP server?") from error
        if response.client_id and response.client_id != ident:
            raise AnswerLost(f"{self._account.server} answered another command than the one sent", _LOOK)
        return response

    async def _greeting(self) -> epp.Greeting:
        try:
            return epp.read_greeting(await self._receive())
        except Malformed as error:
            raise OutsideFault(f"{self._account.server} greeted with {error}", "is that an EPP server?") from error

    async def _send(self, document: bytes) -> None:
        try:
            self._writer.write(epp.frame(document))
            async with asyncio.timeout(self._account.timeout):
                await self._writer.drain()
        except (TimeoutError, OSError):
            raise AnswerLost(f"{self._account.server}: the connection dropped", _LOOK) from None

    async def _receive(self) -> bytes:
        try:
            async with asyncio.timeout(self._account.timeout):
                length = epp.frame_length(await self._reader.readexactly(4))
                document = await self._reader.readexactly(length)
        except TimeoutError:
            raise AnswerLost(f"{self._account.server}: no answer in time", _LOOK) from None
        except (asyncio.IncompleteReadError, OSError):
            raise AnswerLost(f"{self._account.server}: the connection dropped", _LOOK) from None
        except Malformed as error:
            raise AnswerLost(f"{self._account.server} sent {error}", "is that an EPP server?") from error
        self._heard = asyncio.get_running_loop().time()
        return document

    def _refused(self, what: str, response: epp.Response) -> Refused:
        kind = _NotThere if response.code == epp.NOT_THERE else Refused
        return kind(*refusal(what, response), response.code)


class _NotThere(Refused):
    """There is no such object."""


def refusal(what: str, response: epp.Response) -> tuple[str, str]:
    """A refusal in words, and what to do about it."""
    words = epp.meaning(response.code)
    detail = f"; the registry says: {response.reason}" if response.reason and response.reason != words else ""
    remedy = _REMEDIES.get(response.code, "the registry has changed nothing; the same command again goes on")
    return f"{what}: {words} ({response.code}){detail}", remedy


_REMEDIES = {
    epp.AUTHORISATION: "it is another registrar's: is it the right account?",
    epp.WRONG_CODE: "fetch the code from the losing registrar again; the registry has changed nothing",
    epp.STATUS_PROHIBITS: (
        "what stands in the way: `legatum registration show DOMAIN --registrar NAME`; the registry has changed nothing"
    ),
    epp.TRANSFER_PENDING: "follow it, or have it cancelled first; the registry has changed nothing",
    epp.IN_USE: "take it out of the NS sets that name it; the registry has changed nothing",
}


def _new_ident() -> str:
    return f"LEG-{secrets.token_hex(8)}"
