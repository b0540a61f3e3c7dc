"""A list shared by workers that are 40 ms away: each in a network namespace, all on one line that keeps every packet
for half of that.

The line is a process with a TUN device in each namespace: what it reads from one it writes to that of the packet's
destination, later.
"""

import asyncio
import ctypes
import heapq
import os
import shutil
import signal
import struct
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from fcntl import ioctl
from pathlib import Path

from bench.afar import Engine
from bench.figure import Figure
from bench.fleet import survey_of
from bench.world import bench_world, nsd_program

_ONE_WAY = 0.02  # seconds
_NET = "10.204.9."
_WORKERS, _DOMAINS, _AT_ONCE = 8, 6_400, 6
_TUNSETIFF, _TUN_WITHOUT_HEAD = 0x400454CA, 0x1001
_NEW_NETWORK = 0x40000000


class _Line:
    """``ends``: the last number of an address → the file of the device there."""

    def __init__(self, ends: dict[int, int]) -> None:
        self._ends = ends
        self._under_way: list[tuple[float, int, int, bytes]] = []
        self._count = 0
        self._loop = asyncio.get_running_loop()
        self._timer: asyncio.TimerHandle | None = None
        for file in ends.values():
            os.set_blocking(file, False)
            self._loop.add_reader(file, self._read, file)

    def _read(self, file: int) -> None:
        due = self._loop.time() + _ONE_WAY
        while True:
            try:
                packet = os.read(file, 65535)
            except BlockingIOError:
                break
            there = self._ends.get(packet[19])
            if packet[0] >> 4 == 4 and there is not None:
                self._count += 1
                heapq.heappush(self._under_way, (due, self._count, there, packet))
        if self._timer is None and self._under_way:
            self._timer = self._loop.call_at(self._under_way[0][0], self._deliver)

    def _deliver(self) -> None:
        now = self._loop.time() + 0.001
        while self._under_way and self._under_way[0][0] <= now:
            _, _, there, packet = heapq.heappop(self._under_way)
            os.write(there, packet)
        self._timer = self._loop.call_at(self._under_way[0][0], self._deliver) if self._under_way else None


def _device(space: str, number: int) -> int:
    """A TUN device in a namespace, up and with its address; this process's own namespace for none."""
    libc, home = ctypes.CDLL(None, use_errno=True), os.open("/proc/self/ns/net", os.O_RDONLY)
    if space:
        there = os.open(f"/run/netns/{space}", os.O_RDONLY)
        assert libc.setns(there, _NEW_NETWORK) == 0
        os.close(there)
    device = os.open("/dev/net/tun", os.O_RDWR)
    ioctl(device, _TUNSETIFF, struct.pack("16sH22x", b"legatumline", _TUN_WITHOUT_HEAD))
    subprocess.run(["ip", "addr", "add", f"{_NET}{number}/24", "dev", "legatumline"], check=True)
    subprocess.run(["ip", "link", "set", "legatumline", "up", "mtu", "1500"], check=True)
    subprocess.run(["ip", "link", "set", "lo", "up"], check=True)
    assert libc.setns(home, _NEW_NETWORK) == 0
    os.close(home)
    return device


def _run_line(spaces: list[str]) -> None:
    """The line's process: until it is ended."""

    async def work() -> None:
        _Line({number: _device(space, number) for number, space in enumerate(["", *spaces], 1)})
        print("ready", flush=True)
        await asyncio.get_running_loop().create_future()

    signal.signal(signal.SIGTERM, lambda *_: os._exit(0))
    asyncio.run(work())


@contextmanager
def _line(count: int) -> Iterator[list[str]]:
    """The namespaces at its far ends."""
    spaces = [f"lgbench{number}" for number in range(count)]
    with ExitStack() as closing:
        for each in spaces:
            subprocess.run(["ip", "netns", "add", each], check=True)
            closing.callback(subprocess.run, ["ip", "netns", "del", each], check=False)
        line = subprocess.Popen([sys.executable, "-m", "bench.distance", *spaces], stdout=subprocess.PIPE)
        closing.callback(line.wait)
        closing.callback(line.terminate)
        assert line.stdout is not None and line.stdout.readline() == b"ready\n"
        yield spaces


def _certificates(folder: Path) -> dict[str, str]:
    def made(*words: str) -> None:
        subprocess.run(["openssl", *words], cwd=folder, check=True, capture_output=True)

    made(
        "req",
        "-x509",
        "-newkey",
        "ed25519",
        "-nodes",
        "-keyout",
        "ca.key",
        "-out",
        "ca.pem",
        "-subj",
        "/CN=bench",
        "-days",
        "2",
    )
    made("req", "-newkey", "ed25519", "-nodes", "-keyout", "own.key", "-out", "own.csr", "-subj", "/CN=engine")
    made(
        "x509",
        "-req",
        "-in",
        "own.csr",
        "-CA",
        "ca.pem",
        "-CAkey",
        "ca.key",
        "-CAcreateserial",
        "-days",
        "2",
        "-out",
        "own.pem",
    )
    return {"authority": str(folder / "ca.pem"), "certificate": str(folder / "own.pem"), "key": str(folder / "own.key")}


def _took(folder: Path, certificates: dict[str, str], spaces: list[str], domains: int) -> float:
    """Seconds for the list, by a worker in each of these namespaces."""
    with bench_world(domains, address=f"{_NET}1") as world:
        engine = Engine(folder, spaces, f"{_NET}1", certificates)
        try:
            with world.settings.open("a") as settings:
                settings.write(f'[engine]\nscheduler = "{engine.place}"\n')
                settings.writelines(f'{name} = "{file}"\n' for name, file in certificates.items())
            began = time.perf_counter()
            survey_of(world, "--engine", "--side-by-side", str(_AT_ONCE))
            return time.perf_counter() - began
        finally:
            engine.end()


def figures() -> Iterator[Figure]:
    what = f"survey of {_DOMAINS:,} domains by {_WORKERS} workers 40 ms away"
    if nsd_program() is None or os.geteuid() or shutil.which("ip") is None or not Path("/dev/net/tun").exists():
        yield Figure(what, "-", "needs Debian's nsd and iproute2, root, TUN devices", 0.0, "≥ 6")
        return
    with tempfile.TemporaryDirectory() as text, _line(_WORKERS) as spaces:
        certificates = _certificates(Path(text))
        one, all_of_them = (_took(Path(text), certificates, spaces[:count], _DOMAINS) for count in (1, _WORKERS))
    yield Figure(what, f"{all_of_them:.1f} s", f"{one:.1f} s by one of them", one / all_of_them, "≥ 6")


if __name__ == "__main__":
    _run_line(sys.argv[1:])
