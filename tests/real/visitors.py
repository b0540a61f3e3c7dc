"""Visitors: a thread for each resolver asks it for many domains without pause, and keeps every answer that was not the
right one."""

import random
import select
import socket
import threading
import time
from collections.abc import Iterable
from dataclasses import dataclass, replace

from legatum.core.records.name import parse_name
from legatum.wire.message import RD, decode, encode_question
from tests.real.processes import Server

A, MX = 1, 15
_PATIENCE = 8.0  # seconds until a question is asked once more, as any program does, and then counts as not answered
QUESTIONS: dict[tuple[str, int], tuple[int, frozenset[bytes]]] = {
    ("", A): (0, frozenset([bytes((198, 51, 100, 80))])),
    ("www.", A): (0, frozenset([bytes((198, 51, 100, 80))])),
    ("", MX): (0, frozenset()),  # its data hold the domain's name: that there are some is enough
    ("mail.", A): (
        0,
        frozenset([bytes((203, 0, 113, 25)), bytes((203, 0, 113, 26))]),
    ),  # either, while it is renumbered
    ("shop.preview.", A): (0, frozenset([bytes((198, 51, 100, 83))])),
    ("nobody-made-this.", A): (3, frozenset()),
}
"""In front of the domain, type → response code, and addresses that an answer may have."""


@dataclass
class _Asked:
    at: float
    name: str
    front: str
    rtype: int
    again: bool = False


class Visitors(threading.Thread):
    """``rate``: questions a second for each domain. ``wrong``: when, what was asked, and what came. ``off``: addresses
    that work no more, as octets: whoever is sent there has come in vain."""

    def __init__(self, resolver: str, domains: list[str], rate: float = 10.0) -> None:
        super().__init__(daemon=True)
        self.resolver, self.domains, self.rate = resolver, domains, rate
        self.ended = threading.Event()
        self.asked, self.wrong = 0, list[tuple[str, str, int, str]]()
        self.off: set[bytes] = set()

    def run(self) -> None:
        waiting: dict[int, _Asked] = {}
        turns = [(domain, *question) for question in QUESTIONS for domain in self.domains]
        pause, due = 1 / (self.rate * len(self.domains)), time.monotonic()
        with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as port:
            port.setblocking(False)
            while not self.ended.is_set() or waiting:
                now = time.monotonic()
                if now >= due and not self.ended.is_set():
                    domain, front, rtype = turns[self.asked % len(turns)]
                    self._ask(port, waiting, _Asked(now, domain, front, rtype))
                    self.asked, due = self.asked + 1, due + pause
                if select.select([port], [], [], max(0.0, min(due - now, 0.05)))[0]:
                    wire = port.recv(65535)
                    asked = waiting.pop(int.from_bytes(wire[:2]), None)
                    if asked is not None and (fault := self._fault(asked, wire)):
                        self.wrong.append((time.strftime("%H:%M:%S"), asked.front + asked.name, asked.rtype, fault))
                for ident in [each for each, asked in waiting.items() if now - asked.at > _PATIENCE]:
                    asked = waiting.pop(ident)
                    if asked.again:
                        self.wrong.append(
                            (time.strftime("%H:%M:%S"), asked.front + asked.name, asked.rtype, "no answer")
                        )
                    else:
                        self._ask(port, waiting, replace(asked, at=now, again=True))

    def _ask(self, port: socket.socket, waiting: dict[int, _Asked], asked: _Asked) -> None:
        ident = random.choice([each for each in random.sample(range(65536), 8) if each not in waiting])
        query = encode_question(ident, parse_name(f"{asked.front}{asked.name}."), asked.rtype, flags=RD)
        port.sendto(query, (self.resolver, 53))
        waiting[ident] = asked

    def _fault(self, asked: _Asked, wire: bytes) -> str:
        rcode, addresses = QUESTIONS[asked.front, asked.rtype]
        said = decode(wire)
        given = {record.rdata for record in said.answer if record.rtype == A} if asked.rtype == A else frozenset()
        if (
            said.rcode != rcode
            or not given <= addresses
            or bool(given) != bool(addresses)
            or given & self.off
            or (asked.rtype == MX and not said.answer)
        ):
            return f"code {said.rcode}, {sorted(each.hex() for each in given)}"
        return ""

    def stop(self) -> None:
        self.ended.set()
        self.join(15)


class Noticed:
    """Visitors of one domain, through all resolvers, while something is done to it."""

    def __init__(self, resolvers: Iterable[Server], domain: str) -> None:
        self._all = [Visitors(each.address, [domain], 20.0) for each in resolvers]

    def __enter__(self) -> "Noticed":
        for each in self._all:
            each.start()
        time.sleep(2)
        return self

    def __exit__(self, *_: object) -> None:
        time.sleep(5)
        for each in self._all:
            each.stop()

    def switch_off(self, address: bytes) -> None:
        for each in self._all:
            each.off.add(address)

    @property
    def names(self) -> set[str]:
        """What somebody asked for in vain."""
        return {name for each in self._all for _, name, _, _ in each.wrong}
