"""The registry stand-in on a loopback port, and accounts at it, in one process."""

import asyncio
from collections.abc import AsyncIterator, Awaitable, Callable
from contextlib import asynccontextmanager
from dataclasses import dataclass, field
from pathlib import Path

from legatum.core.records.name import Name, parse_name
from legatum.net.asking.asker import Asker
from legatum.net.asking.route import Route
from legatum.net.clock import SystemClock
from legatum.practice.certificate import make_certificates
from legatum.practice.clock import WorldClock
from legatum.practice.epp_server import EppServer
from legatum.practice.registry import Registry, Tld
from legatum.services.epp_registrar import RegistryAccount
from legatum.settings.document import EppRegistrar, Network, Settings
from legatum.wire.tsig import TsigKey
from legatum.work.run_context import RunContext

DOMAIN, OTHER, YOUNG = (parse_name(f"{label}.example.") for label in ("kilnandclay", "evensong", "tidemill"))
ALDER = tuple(parse_name(f"ns{number}.alder.test.") for number in (1, 2))
BIRCH = tuple(parse_name(f"ns{number}.birch.test.") for number in (1, 2))
SERVER = "epp.nic.example"


@dataclass
class Up:
    """``changes``: domains whose NS set, DS or hosts changed, in order."""

    folder: Path
    registry: Registry
    server: EppServer
    clock: WorldClock
    changes: list[Name] = field(default_factory=list)

    @property
    def settings(self) -> Settings:
        def account(name: str) -> EppRegistrar:
            return EppRegistrar(
                server=SERVER,
                address="192.0.2.51",
                user=name,
                password=f"file:{name}.password",
                authority="authority.pem",
                nameservers="attributes" if self.registry.hosts.by_attribute else "objects",
            )

        return Settings(network=Network(roots={}), registrars={name: account(name) for name in ("flint", "slate")})

    @property
    def context(self) -> RunContext:
        clock = SystemClock()
        return RunContext(
            self.settings, self.folder, clock, Asker(Route({"192.0.2.51": self.server.endpoint}), clock), {}
        )

    def account(self, name: str) -> RegistryAccount:
        found = self.context.registrar(name)
        assert isinstance(found, RegistryAccount)
        return found


@asynccontextmanager
async def registry_up(folder: Path, by_attribute: bool = False) -> AsyncIterator[Up]:
    clock, asker = WorldClock(2_000_000_000.0), Asker(Route({}), SystemClock())
    tld = Tld(parse_name("example."), "192.0.2.11", TsigKey(parse_name("k.test."), "hmac-sha256", b"k"), 3600)
    registry = Registry(
        {"flint": "first-password", "slate": "other-password"}, [tld], [*ALDER, *BIRCH], 1e9, asker, clock, by_attribute
    )
    registry.register(DOMAIN, "flint", ALDER)
    registry.register(OTHER, "slate", ALDER)
    registry.register(YOUNG, "flint", ALDER, 20 * 86400.0)
    for name, password in registry.book.passwords.items():
        (folder / f"{name}.password").write_text(password)
    server = EppServer(SERVER, registry, clock, make_certificates(folder, SERVER)[1])
    await server.open()
    up = Up(folder, registry, server, clock)
    registry.publisher.soon = up.changes.append  # type: ignore[method-assign]
    try:
        yield up
    finally:
        server.close()
        clock.close()
        asker.close()


def with_registry(folder: Path, work: Callable[[Up], Awaitable[None]], by_attribute: bool = False) -> None:
    async def whole() -> None:
        async with registry_up(folder, by_attribute) as up:
            await work(up)

    asyncio.run(whole())
