"""The registry's EPP server over TLS (RFC 5734): one session for each connection, commands in the order they come."""

import asyncio
import itertools
import ssl

from legatum.core.instant import instant_text
from legatum.core.name import Name
from legatum.net.clock import Clock
from legatum.net.route import Endpoint
from legatum.practice.registry import Registry
from legatum.wire import epp
from legatum.wire.malformed import Malformed


class EppServer:
    """``endpoint`` is where it stands once open."""

    def __init__(self, name: str, registry: Registry, clock: Clock, tls: ssl.SSLContext) -> None:
        self._name = name
        self._registry = registry
        self._clock = clock
        self._tls = tls
        self._numbers = itertools.count(1)
        self.endpoint: Endpoint

    async def open(self) -> None:
        self._server = await asyncio.start_server(self._session, "127.0.0.1", 0, ssl=self._tls)
        self.endpoint = Endpoint(*self._server.sockets[0].getsockname()[:2])

    def close(self) -> None:
        self._server.close()

    async def _session(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        session = _Session(self._name, self._registry, self._clock, self._numbers)
        try:
            writer.write(epp.frame(session.greeting()))
            while not session.ended:
                length = epp.frame_length(await reader.readexactly(4))
                writer.write(epp.frame(session.answer(await reader.readexactly(length))))
                await writer.drain()
        except (asyncio.IncompleteReadError, ConnectionError, Malformed, asyncio.CancelledError):
            pass
        finally:
            writer.close()


class _Session:
    """Frames in, frames out."""

    def __init__(self, name: str, registry: Registry, clock: Clock, numbers: "itertools.count[int]") -> None:
        self._name = name
        self._registry = registry
        self._clock = clock
        self._numbers = numbers
        self._registrar: str | None = None
        self.ended = False

    def greeting(self) -> bytes:
        return epp.greeting(self._name, instant_text(self._clock.now()))

    def answer(self, document: bytes) -> bytes:
        try:
            command = epp.read_command(document)
        except (Malformed, ValueError):
            return self._respond(epp.SYNTAX, "")
        if command.verb == "hello":
            return self.greeting()
        if command.verb == "login":
            return self._login(command)
        if command.verb == "logout" and self._registrar is not None:
            self.ended = True
            return self._respond(epp.OK_ENDING, command.client_id)
        if self._registrar is None:
            return self._respond(epp.USE, command.client_id)
        if command.object == "domain" and command.name is not None and command.verb == "info":
            code, found = self._registry.info(self._registrar, command.name)
            return self._respond(code, command.client_id, found)
        if command.object == "domain" and command.name is not None and command.verb == "update":
            statuses = command.add_statuses, command.remove_statuses
            code = self._registry.update(self._registrar, command.name, command.add, command.remove, *statuses)
            return self._respond(code, command.client_id)
        if command.object == "domain" and command.name is not None and command.verb == "renew":
            code = self._registry.renew(self._registrar, command.name, command.expires, command.years)
            return self._respond(code, command.client_id)
        if command.object == "host" and command.name is not None:
            return self._host(self._registrar, command, command.name)
        return self._respond(epp.UNKNOWN_COMMAND, command.client_id)

    def _host(self, registrar: str, command: epp.Command, name: Name) -> bytes:
        match command.verb:
            case "info":
                code, found = self._registry.host_info(name)
                return epp.response(code, command.client_id, self._number(), host=found)
            case "create":
                code = self._registry.create_host(registrar, name, command.add_addresses)
            case "update":
                code = self._registry.update_host(registrar, name, command.add_addresses, command.remove_addresses)
            case _:
                code = self._registry.delete_host(registrar, name)
        return self._respond(code, command.client_id)

    def _login(self, command: epp.Command) -> bytes:
        if self._registrar is not None:
            return self._respond(epp.USE, command.client_id)
        if not self._registry.knows(command.user, command.password):
            return self._respond(epp.AUTHENTICATION, command.client_id)
        self._registrar = command.user
        return self._respond(epp.OK, command.client_id)

    def _respond(self, code: int, client_id: str, domain: epp.DomainData | None = None) -> bytes:
        return epp.response(code, client_id, self._number(), domain)

    def _number(self) -> str:
        return f"QM-{next(self._numbers):08d}"
