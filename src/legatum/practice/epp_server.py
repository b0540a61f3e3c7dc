"""The registry's EPP server over TLS (RFC 5734): one session for each connection, commands in the order they come."""

import asyncio
import itertools
import ssl
from dataclasses import replace

from legatum.core.calendar.instant import instant_text
from legatum.core.records.name import Name
from legatum.net.asking.route import Endpoint
from legatum.net.clock import Clock
from legatum.practice.registry import Registry
from legatum.wire import epp
from legatum.wire.malformed import Malformed


class EppServer:
    """``endpoint`` is where it stands once open; ``sessions``: how many it has had, ``commands``: how many it was
    given."""

    def __init__(self, name: str, registry: Registry, clock: Clock, tls: ssl.SSLContext) -> None:
        self._name = name
        self._registry = registry
        self._clock = clock
        self._tls = tls
        self._numbers = itertools.count(1)
        self.sessions = 0
        self.commands: list[str] = []
        self.endpoint: Endpoint

    async def open(self) -> None:
        self._server = await asyncio.start_server(self._session, "127.0.0.1", 0, ssl=self._tls)
        self.endpoint = Endpoint(*self._server.sockets[0].getsockname()[:2])

    def close(self) -> None:
        self._server.close()

    async def _session(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        session = _Session(self._name, self._registry, self._clock, self._numbers)
        self.sessions += 1
        try:
            writer.write(epp.frame(session.greeting()))
            while not session.ended:
                length = epp.frame_length(await reader.readexactly(4))
                answer, verb = session.answer(await reader.readexactly(length))
                self.commands.append(verb)
                if answer is None:
                    break
                if self._registry.trouble.slow:
                    await asyncio.sleep(self._registry.trouble.slow)
                writer.write(epp.frame(answer))
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
        self._registrar = ""
        self._spoken: tuple[str, ...] = ()
        self.ended = False

    def greeting(self) -> bytes:
        return epp.greeting(self._name, instant_text(self._clock.now()))

    def answer(self, document: bytes) -> tuple[bytes | None, str]:
        """The answer, None where the connection drops instead, and the verb that it is to."""
        try:
            command = epp.read_command(document)
        except Malformed as error:
            return epp.response(epp.Response(epp.SYNTAX, str(error), "", self._number())), ""
        if command.verb == "hello":
            return self.greeting(), "hello"
        drops = self._registry.trouble.drops(command.verb, command.op)
        if drops and self._registry.trouble.unheard:
            return None, command.verb
        said = self._rule(command)
        if drops:
            return None, command.verb
        return epp.response(replace(said, client_id=command.client_id, server_id=self._number())), command.verb

    def _rule(self, command: epp.Command) -> epp.Response:
        if command.verb == "login":
            return self._login(command)
        if not self._registrar:
            return _plain(epp.USE)
        if command.verb == "logout":
            self.ended = True
            return _plain(epp.OK_ENDING)
        if self._registry.trouble.refuses(command.verb, command.op):
            return _plain(self._registry.trouble.code)
        if command.verb == "poll":
            return self._poll(command)
        rules = {"domain": self._domain, "host": self._host, "contact": self._contact}
        if command.object not in rules:
            return _plain(epp.NOT_SERVED)
        return rules[command.object](command)

    def _login(self, command: epp.Command) -> epp.Response:
        if self._registrar:
            return _plain(epp.USE)
        if not self._registry.book.knows(command.user, command.password):
            return _plain(epp.AUTHENTICATION)
        if set(command.extensions) - set(epp.EXTENSIONS):
            return _plain(epp.EXTENSION)
        if command.new_password:
            self._registry.book.passwords[command.user] = command.new_password
        self._registrar, self._spoken = command.user, command.extensions
        return _plain(epp.OK)

    def _poll(self, command: epp.Command) -> epp.Response:
        if command.op == "req":
            return self._registry.book.waiting(self._registrar)
        return self._registry.book.acknowledge(self._registrar, command.idents[0])

    def _domain(self, command: epp.Command) -> epp.Response:
        desk = self._registry.domains
        if command.verb == "check":
            return replace(_plain(epp.OK), checked=tuple(map(desk.check, command.names)))
        domain = command.name
        if domain is None:
            return _plain(epp.MISSING)
        match command.verb:
            case "info":
                return self._without_unspoken(desk.info(self._registrar, domain, command.code))
            case "update":
                return desk.update(self._registrar, domain, command.change)
            case "renew":
                return desk.renew(self._registrar, domain, command.expires, command.years)
            case "delete":
                return desk.delete(self._registrar, domain)
            case "restore":
                return desk.restore(self._registrar, domain, command.op)
            case "transfer":
                return self._transfer(command, domain)
        return _plain(epp.NOT_SERVED)

    def _transfer(self, command: epp.Command, domain: Name) -> epp.Response:
        desk = self._registry.transfers
        match command.op:
            case "request":
                return desk.request(self._registrar, domain, command.code, command.years)
            case "query":
                return desk.query(self._registrar, domain, command.code)
        return desk.act(self._registrar, domain, command.op)

    def _without_unspoken(self, said: epp.Response) -> epp.Response:
        """Extensions that the client did not choose at login are not used (RFC 5730 s2.9.1.1)."""
        if said.domain is None:
            return said
        ds = said.domain.ds if epp.SECDNS in self._spoken else ()
        return replace(
            said, domain=replace(said.domain, ds=ds, grace=said.domain.grace if epp.RGP in self._spoken else ())
        )

    def _host(self, command: epp.Command) -> epp.Response:
        desk = self._registry.hosts
        if desk.by_attribute:
            return _plain(epp.NOT_SERVED)
        if command.verb == "check":
            return replace(_plain(epp.OK), checked=tuple(map(desk.check, command.names)))
        if command.name is None:
            return _plain(epp.MISSING)
        match command.verb:
            case "info":
                return desk.info(command.name)
            case "create":
                return desk.create(self._registrar, command.name, command.add_addresses)
            case "update":
                return desk.update(self._registrar, command.name, command.add_addresses, command.remove_addresses)
            case "delete":
                return desk.delete(self._registrar, command.name)
        return _plain(epp.NOT_SERVED)

    def _contact(self, command: epp.Command) -> epp.Response:
        contacts = self._registry.book.contacts
        match command.verb:
            case "check":
                checked = (
                    epp.Availability(each, each not in contacts, "exists" if each in contacts else "", "contact")
                    for each in command.idents
                )
                return replace(_plain(epp.OK), checked=tuple(checked))
            case "info":
                found = contacts.get(command.idents[0])
                return _plain(epp.NOT_THERE) if found is None else replace(_plain(epp.OK), contact=found)
            case "create" if command.contact is not None:
                if command.contact.ident in contacts:
                    return _plain(epp.EXISTS)
                contacts[command.contact.ident] = replace(command.contact, registrar=self._registrar)
                return _plain(epp.OK)
        return _plain(epp.NOT_SERVED)

    def _number(self) -> str:
        return f"QM-{next(self._numbers):08d}"


def _plain(code: int) -> epp.Response:
    return epp.Response(code, "", "", "")
