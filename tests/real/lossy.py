"""A relay that loses packets: between the program and a server, each datagram is dropped with a given chance, either
way."""

import asyncio
import random
import threading
from typing import Any

_LONGEST = 10.0  # seconds that an answer may take to come back


class LossyRelay(threading.Thread):
    """``targets``: ports on loopback that are relayed to; ``ports``: target → the port to ask instead. Connections over
    TCP are passed on whole, as the system itself repairs them. ``chance`` may be changed at any time."""

    def __init__(self, targets: list[int], chance: float, seed: int = 1) -> None:
        super().__init__(daemon=True)
        self.targets, self.chance = targets, chance
        self.ports: dict[int, int] = {}
        self.lost = self.passed = 0
        self._random = random.Random(seed)
        self._loop = asyncio.new_event_loop()
        self._ready = threading.Event()

    def __enter__(self) -> "LossyRelay":
        self.start()
        assert self._ready.wait(10)
        return self

    def __exit__(self, *_: object) -> None:
        self._loop.call_soon_threadsafe(self._loop.stop)
        self.join(10)

    def run(self) -> None:
        asyncio.set_event_loop(self._loop)
        self._loop.run_until_complete(self._open())
        self._ready.set()
        self._loop.run_forever()

    async def _open(self) -> None:
        for target in self.targets:
            for _ in range(50):  # one port that is free for both
                transport, _ = await self._loop.create_datagram_endpoint(
                    lambda to=target: _Front(self, to), ("127.0.0.1", 0)
                )
                port = transport.get_extra_info("sockname")[1]
                try:
                    await asyncio.start_server(lambda r, w, to=target: self._pipe(r, w, to), "127.0.0.1", port)
                except OSError:
                    transport.close()
                    continue
                self.ports[target] = port
                break

    def loses(self) -> bool:
        lost = self._random.random() < self.chance
        self.lost, self.passed = self.lost + lost, self.passed + (not lost)
        return lost

    async def _pipe(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter, target: int) -> None:
        there, back = await asyncio.open_connection("127.0.0.1", target)

        async def pass_on(source: asyncio.StreamReader, sink: asyncio.StreamWriter) -> None:
            try:
                while octets := await source.read(65536):
                    sink.write(octets)
                    await sink.drain()
            except ConnectionError:
                pass
            finally:
                sink.close()

        await asyncio.gather(pass_on(reader, back), pass_on(there, writer))


class _Front(asyncio.DatagramProtocol):
    """Towards the program."""

    def __init__(self, relay: LossyRelay, target: int) -> None:
        self.relay, self.target = relay, target

    def connection_made(self, transport: Any) -> None:
        self.transport = transport

    def datagram_received(self, data: bytes, address: Any) -> None:
        if not self.relay.loses():
            asyncio.get_running_loop().create_task(self._forward(data, address))

    async def _forward(self, data: bytes, address: Any) -> None:
        loop = asyncio.get_running_loop()
        transport, _ = await loop.create_datagram_endpoint(
            lambda: _Back(self, address), remote_addr=("127.0.0.1", self.target)
        )
        transport.sendto(data)
        loop.call_later(_LONGEST, transport.close)


class _Back(asyncio.DatagramProtocol):
    """From the server, back to whoever asked."""

    def __init__(self, front: _Front, address: Any) -> None:
        self.front, self.address = front, address

    def connection_made(self, transport: Any) -> None:
        self.transport = transport

    def datagram_received(self, data: bytes, _: Any) -> None:
        if not self.front.relay.loses():
            self.front.transport.sendto(data, self.address)
        self.transport.close()
