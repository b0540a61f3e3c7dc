"""Hosts of the tests' own, each in a network namespace, on one wire; this machine's own network is the desk at which
the operator sits.

Addresses are private ones; nothing is routed any further.
"""

import itertools
import os
import subprocess
from collections.abc import Sequence
from pathlib import Path

_numbers = itertools.count()


def _ip(*words: str) -> None:
    subprocess.run(["ip", *words], check=True, capture_output=True, text=True)


class Wire:
    """``net``: the first three numbers of its addresses. Close it, and its hosts are gone."""

    def __init__(self, net: str) -> None:
        self.net = net
        self._mark = f"lg{os.getpid() % 10000}{next(_numbers)}"
        self._hosts: list[Host] = []
        self.desk = f"{self._mark}desk"[:15]
        try:
            self._bridge = Host(self, "wire", "")
            self._bridge.ip("link", "add", "br0", "type", "bridge")
            self._bridge.ip("link", "set", "br0", "up")
            self._plug(self.desk, None)
            _ip("addr", "add", f"{net}.1/24", "dev", self.desk)
            _ip("link", "set", self.desk, "up")
        except BaseException:
            self.close()
            raise

    def host(self, name: str, last: int, *more: str) -> "Host":
        """With the address that ends so, and ``more`` addresses of its own."""
        found = Host(self, name, f"{self.net}.{last}")
        self._plug("eth0", found)
        found.ip("addr", "add", f"{found.address}/24", "dev", "eth0")
        found.ip("link", "set", "eth0", "up")
        for each in more:
            found.ip("addr", "add", f"{each}/32", "dev", "lo")
        return found

    def _plug(self, device: str, host: "Host | None") -> None:
        port = f"p{os.getpid() % 10**6}{next(_numbers)}"  # for a moment in this machine's own network
        where = ("netns", host.space) if host is not None else ()
        self._bridge.ip("link", "add", port, "type", "veth", "peer", "name", f"{port}x")
        if host is not None:
            self._bridge.ip("link", "set", f"{port}x", *where)
            host.ip("link", "set", f"{port}x", "name", device)
        else:
            self._bridge.ip("link", "set", f"{port}x", "netns", str(os.getpid()))
            _ip("link", "set", f"{port}x", "name", device)
        self._bridge.ip("link", "set", port, "master", "br0")
        self._bridge.ip("link", "set", port, "up")

    def take(self, host: "Host") -> str:
        self._hosts.append(host)
        return f"{self._mark}{host.name}"

    def close(self) -> None:
        for each in self._hosts:
            each.end()
        for each in self._hosts:
            subprocess.run(["ip", "netns", "del", each.space], check=False, capture_output=True)
        subprocess.run(["ip", "link", "del", self.desk], check=False, capture_output=True)


class Host:
    """``space``: its namespace."""

    def __init__(self, wire: Wire, name: str, address: str) -> None:
        self.name, self.address = name, address
        self.space = wire.take(self)
        self._processes: list[subprocess.Popen[bytes]] = []
        _ip("netns", "add", self.space)
        self.ip("link", "set", "lo", "up")

    @property
    def prefix(self) -> list[str]:
        """What a command begins with that is to run there."""
        return ["ip", "netns", "exec", self.space]

    def ip(self, *words: str) -> None:
        _ip("-n", self.space, *words)

    def start(self, words: Sequence[str], log: Path) -> None:
        with log.open("wb") as file:
            self._processes.append(subprocess.Popen([*self.prefix, *words], stdout=file, stderr=file))

    def cut_off(self) -> None:
        self.ip("link", "set", "eth0", "down")

    def end(self) -> None:
        for each in self._processes:
            each.kill()
            each.wait()
