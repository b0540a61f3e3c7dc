"""Five hundred NS sets changed over EPP: a session for each, one session, and one session with commands under way
together.

The registry stand-in runs in a process of its own, behind a line that takes 10 ms each way, as a registry elsewhere
does; and without it. Connection set-up is counted in all of them.
"""

import asyncio
import ssl
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

from bench.figure import Figure
from legatum.core.records.name import Name, parse_name
from legatum.net.asking.asker import Asker
from legatum.net.asking.route import Endpoint, Route
from legatum.net.clock import SystemClock
from legatum.net.registry.epp import EppAccount, EppSession
from legatum.practice.certificate import make_certificates
from legatum.practice.clock import WorldClock
from legatum.practice.epp_server import EppServer
from legatum.practice.registry import Registry, Tld
from legatum.wire.epp import DomainChange
from legatum.wire.tsig import TsigKey

_DOMAINS, _ONE_WAY, _AT_ONCE = 500, 0.010, 16
_SERVER = "epp.nic.example"
_SETS = [[parse_name(f"ns{number}.{provider}.") for number in (1, 2)] for provider in ("alder.test", "birch.test")]


def figures() -> Iterator[Figure]:
    with tempfile.TemporaryDirectory(prefix="legatum-bench-") as text:
        command = [sys.executable, "-c", "import sys; from bench.registrar import serve; serve(sys.argv[1])", text]
        server = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
        try:
            assert server.stdout is not None
            port = int(server.stdout.readline())
            yield from asyncio.run(_measure(Path(text), port))
        finally:
            server.terminate()
            server.wait(10)


def serve(folder: str) -> None:
    """The registry, until it is ended; its port on standard output."""

    async def live() -> None:
        clock, asker = WorldClock(time.time()), Asker(Route({}), SystemClock())
        tld = Tld(parse_name("example."), "192.0.2.11", TsigKey(parse_name("k.test."), "hmac-sha256", b"k"), 3600)
        registry = Registry(
            {"flint": "a-password"}, [tld], [host for each in _SETS for host in each], 1e9, asker, clock
        )
        for domain in _domains():
            registry.register(domain, "flint", _SETS[0])
        tls: ssl.SSLContext = make_certificates(Path(folder), _SERVER)[1]
        server = EppServer(_SERVER, registry, clock, tls)
        await server.open()
        print(server.endpoint.port, flush=True)
        await asyncio.Event().wait()

    asyncio.run(live())


def _domains() -> list[Name]:
    return [parse_name(f"d{number:03d}.example.") for number in range(_DOMAINS)]


async def _measure(folder: Path, port: int) -> Iterator[Figure]:
    here = EppAccount(
        _SERVER, Endpoint("127.0.0.1", port), "flint", "a-password", str(folder / "authority.pem"), at_once=_AT_ONCE
    )
    found = []
    line = await asyncio.start_server(lambda reader, writer: _relay(reader, writer, port), "127.0.0.1", 0)
    far = replace(here, endpoint=Endpoint("127.0.0.1", line.sockets[0].getsockname()[1]))
    for account, where in ((far, "20 ms away"), (here, "on this machine")):
        rates = {}
        turn = 0
        for way in (_each_its_session, _one_at_a_time, _together):
            old, new = _SETS[turn % 2], _SETS[(turn + 1) % 2]
            change, turn = DomainChange(tuple(new), tuple(old)), turn + 1
            began = time.perf_counter()
            await way(account, change)
            rates[way] = _DOMAINS / (time.perf_counter() - began)
        if turn % 2:
            await _together(account, DomainChange(tuple(_SETS[0]), tuple(_SETS[1])))
        ours = rates[_together]
        for other, words in ((_one_at_a_time, "one session, one at a time"), (_each_its_session, "a session for each")):
            what = f"{_DOMAINS} NS sets over EPP, {where}, {_AT_ONCE} under way together, domains a second"
            found.append(
                Figure(what, f"{ours:.0f}", f"{rates[other]:.0f}, {words}", ours / rates[other], "as large as can be")
            )
    line.close()
    return iter(found)


async def _each_its_session(account: EppAccount, change: DomainChange) -> None:
    for domain in _domains():
        async with EppSession(account) as session:
            await session.update(domain, change, "name servers")


async def _one_at_a_time(account: EppAccount, change: DomainChange) -> None:
    async with EppSession(account) as session:
        for domain in _domains():
            await session.update(domain, change, "name servers")


async def _together(account: EppAccount, change: DomainChange) -> None:
    async with EppSession(account) as session:
        commands = [(domain, "name servers", session.update_builder(domain, change)) for domain in _domains()]
        codes = [response.code async for response in session.stream(commands)]
        assert codes == [1000] * _DOMAINS, codes[:3]


async def _relay(reader: asyncio.StreamReader, writer: asyncio.StreamWriter, port: int) -> None:
    """Passes octets on to the registry and back, each way later."""
    there, back = await asyncio.open_connection("127.0.0.1", port)
    await asyncio.gather(_later(reader, back), _later(there, writer))


async def _later(source: asyncio.StreamReader, sink: asyncio.StreamWriter) -> None:
    loop = asyncio.get_running_loop()
    while data := await source.read(65536):
        loop.call_later(_ONE_WAY, sink.write, data)
    loop.call_later(_ONE_WAY, sink.close)
