"""The practice registry and its EPP server in a thread, in real time, publishing into a real TLD server."""

import asyncio
import random
import threading
import time
from collections.abc import Iterable, Mapping
from pathlib import Path
from typing import Any

from legatum.core.records.name import Name, parse_name
from legatum.net.asking.asker import Asker
from legatum.net.asking.route import Route
from legatum.practice.certificate import make_certificates
from legatum.practice.clock import WorldClock
from legatum.practice.epp_server import EppServer
from legatum.practice.registry import Registry, Tld
from legatum.wire.tsig import TsigKey

ACCOUNTS = ("flint", "slate")
DELAY = 2.0  # seconds until a change is published


class RegistryThread(threading.Thread):
    """``registrations``: domain → its NS set, all with flint, the first of the accounts; ``hosts``: others that it
    knows. ``changed``: the domains, in the order of updates."""

    def __init__(
        self,
        folder: Path,
        primary: str,
        key: TsigKey,
        ttl: int,
        registrations: Mapping[str, Iterable[Name]],
        hosts: Iterable[Name] = (),
    ) -> None:
        super().__init__(daemon=True)
        self.folder, self.tld = folder, Tld(parse_name("example."), primary, key, ttl)
        self.registrations, self.hosts = registrations, list(hosts)
        self.ready, self.loop = threading.Event(), asyncio.new_event_loop()
        self.changed = list[Name]()

    def run(self) -> None:
        asyncio.set_event_loop(self.loop)
        self.loop.run_until_complete(self.live())

    async def live(self) -> None:
        clock, self.ended = WorldClock(time.time()), asyncio.Event()
        asker = Asker(Route(), clock, generator=random.Random())
        registry = Registry(dict.fromkeys(ACCOUNTS, "a-password"), [self.tld], self.hosts, DELAY, asker, clock)
        for domain, servers in self.registrations.items():
            registry.register(parse_name(domain + "."), "flint", servers)
        update = registry.domains.update

        def counted(*words: Any) -> Any:
            self.changed.append(words[1])
            return update(*words)

        registry.domains.update = counted  # type: ignore[method-assign]
        self.registry = registry
        _, tls = make_certificates(self.folder, "epp.nic.example")
        (self.folder / "password").write_text("a-password\n")
        server = EppServer("epp.nic.example", registry, clock, tls)
        await server.open()
        self.port = server.endpoint.port
        self.ready.set()
        await self.ended.wait()
        clock.close()
        server.close()
        asker.close()

    @property
    def changes(self) -> int:
        """How many updates there were."""
        return len(self.changed)

    @property
    def settings(self) -> str:
        """The registrars' accounts there, for a settings file in the same folder."""
        return "".join(
            f'[registrars.{name}]\nkind = "epp"\nserver = "epp.nic.example"\naddress = "127.0.0.1"\nport = '
            f"{self.port}\n"
            f'user = "{name}"\npassword = "file:password"\nauthority = "authority.pem"\n'
            for name in ACCOUNTS
        )

    def stop(self) -> None:
        if self.is_alive():
            self.loop.call_soon_threadsafe(self.ended.set)
            self.join(10)
