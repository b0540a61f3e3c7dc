"""An EPP session over TLS (RFC 5734) as a client."""

import asyncio
import secrets
import ssl
from collections.abc import Callable
from dataclasses import dataclass, field
from types import TracebackType

from legatum.core.fault import OutsideFault
from legatum.core.name import Name, name_text
from legatum.net.route import Endpoint
from legatum.wire import epp
from legatum.wire.malformed import Malformed

_Builder = Callable[[str], bytes]


@dataclass(frozen=True)
class EppAccount:
    """Where and as whom to log in. ``authority``: a PEM file of own certificate authorities, or None for the system's."""

    server: str
    endpoint: Endpoint
    user: str
    password: str = field(repr=False)
    authority: str | None = None
    timeout: float = 10.0


class EppSession:
    """``async with EppSession(account)``: connected, greeted and logged in; logged out at the end. Raises :class:`OutsideFault`."""

    def __init__(self, account: EppAccount) -> None:
        self._account = account
        self._reader: asyncio.StreamReader
        self._writer: asyncio.StreamWriter

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
            raise OutsideFault(f"{account.server}: no connection in time", "is the registry reachable from here?") from None
        except OSError as error:
            raise OutsideFault(f"{account.server}: {error.strerror or error}", "is the registry reachable from here?") from None
        try:
            greeting = await self._greeting()
            response = await self._exchange(lambda ident: epp.login(account.user, account.password, greeting, ident))
            if not response.ok:
                raise OutsideFault(
                    f"{account.server} as {account.user}: {epp.meaning(response.code)} ({response.code})",
                    "check the registrar's user name and password in the settings",
                )
        except BaseException:
            self._writer.close()
            raise
        return self

    async def __aexit__(self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None) -> None:
        try:
            if error is None:
                await self._exchange(epp.logout)
        except OutsideFault:
            pass  # the work is done; how the server takes its leave changes nothing
        finally:
            self._writer.close()

    async def domain_info(self, domain: Name) -> epp.DomainData:
        """Raises :class:`OutsideFault` when the registry does not tell."""
        response = await self._exchange(lambda ident: epp.domain_info(domain, ident))
        if not response.ok or response.domain is None:
            raise self._refused(f"info of {name_text(domain)}", response)
        return response.domain

    async def change_nameservers(self, domain: Name, add: list[Name], remove: list[Name]) -> epp.Response:
        """Raises :class:`OutsideFault` when the registry refuses."""
        response = await self._exchange(lambda ident: epp.domain_update(domain, add, remove, ident))
        if not response.ok:
            raise self._refused(f"name servers of {name_text(domain)}", response)
        return response

    async def change_statuses(self, domain: Name, add: list[str], remove: list[str]) -> epp.Response:
        """Raises :class:`OutsideFault` when the registry refuses."""
        response = await self._exchange(lambda ident: epp.domain_update(domain, (), (), ident, add, remove))
        if not response.ok:
            raise self._refused(f"statuses of {name_text(domain)}", response)
        return response

    async def renew(self, domain: Name, expires: str, years: int) -> epp.Response:
        """Raises :class:`OutsideFault` when the registry refuses."""
        response = await self._exchange(lambda ident: epp.domain_renew(domain, expires, years, ident))
        if not response.ok:
            raise self._refused(f"renewal of {name_text(domain)}", response)
        return response

    async def host(self, host: Name) -> epp.HostData | None:
        """None where there is no such host object. Raises :class:`OutsideFault` when the registry does not tell."""
        response = await self._exchange(lambda ident: epp.host_info(host, ident))
        if response.code == epp.NOT_THERE:
            return None
        if not response.ok or response.host is None:
            raise self._refused(f"host {name_text(host)}", response)
        return response.host

    async def change_host(self, host: Name, add: list[str], remove: list[str], create: bool) -> epp.Response:
        """Makes a host object with addresses, or changes them. Raises :class:`OutsideFault` when the registry refuses."""
        response = await self._exchange(
            lambda ident: epp.host_create(host, add, ident) if create else epp.host_update(host, add, remove, ident)
        )
        if not response.ok:
            raise self._refused(f"host {name_text(host)}", response)
        return response

    async def delete_host(self, host: Name) -> epp.Response:
        """Raises :class:`OutsideFault` when the registry refuses: while a domain leans on it."""
        response = await self._exchange(lambda ident: epp.host_delete(host, ident))
        if not response.ok:
            raise self._refused(f"host {name_text(host)}", response)
        return response

    async def _greeting(self) -> epp.Greeting:
        try:
            return epp.read_greeting(await self._receive())
        except Malformed as error:
            raise OutsideFault(f"{self._account.server} greeted with {error}", "is that an EPP server?") from error

    async def _exchange(self, build: _Builder) -> epp.Response:
        ident = f"LEG-{secrets.token_hex(8)}"
        await self._send(build(ident))
        try:
            response = epp.read_response(await self._receive())
        except Malformed as error:
            raise OutsideFault(f"{self._account.server} answered with {error}", "is that an EPP server?") from error
        if response.client_id and response.client_id != ident:
            raise OutsideFault(
                f"{self._account.server} answered another command than the one sent",
                "look what the registry holds before trying again",
            )
        return response

    async def _send(self, document: bytes) -> None:
        try:
            self._writer.write(epp.frame(document))
            async with asyncio.timeout(self._account.timeout):
                await self._writer.drain()
        except (TimeoutError, OSError):
            raise OutsideFault(
                f"{self._account.server}: the connection dropped", "look what the registry holds before trying again"
            ) from None

    async def _receive(self) -> bytes:
        try:
            async with asyncio.timeout(self._account.timeout):
                length = epp.frame_length(await self._reader.readexactly(4))
                return await self._reader.readexactly(length)
        except TimeoutError:
            raise OutsideFault(f"{self._account.server}: no answer in time", "look what the registry holds before trying again") from None
        except (asyncio.IncompleteReadError, OSError):
            raise OutsideFault(
                f"{self._account.server}: the connection dropped", "look what the registry holds before trying again"
            ) from None
        except Malformed as error:
            raise OutsideFault(f"{self._account.server} sent {error}", "is that an EPP server?") from error

    def _refused(self, what: str, response: epp.Response) -> OutsideFault:
        words = epp.meaning(response.code)
        detail = f"; the registry says: {response.reason}" if response.reason and response.reason != words else ""
        return OutsideFault(f"{what}: {words} ({response.code}){detail}", "nothing was changed by this command")
