"""A small name server that answers wrongly in one chosen way, over UDP and TCP on port 53 of an address of its own."""

import socket
import struct
import threading
from collections.abc import Callable

from legatum.core.records.name import Name, is_under, parse_name
from legatum.core.records.presentation import parse_rdata
from legatum.core.records.rrset import RRset, rrset
from legatum.core.records.rrtype import NS, SOA, A
from legatum.wire.message import AA, QR, TC, Edns, Message, decode, encode, records

Behaviour = Callable[[Message, bool], bytes | None]
"""A question and whether it came over TCP → the answer's bytes, None for silence."""


def zone_answer(asked: Message, servers: list[str]) -> Message:
    """What an honest server would say for any zone of one label under .example."""
    name, rtype = asked.questions[0][:2]
    origin = Name(name[-(len(name) - name.rindex(b"\7example\0")) :])
    labels = name[: len(name) - len(origin)]
    while labels and (cut := labels[0] + 1) < len(labels):
        labels = labels[cut:]
    origin = Name(labels + origin)
    soa = rrset(origin, SOA, 60, [parse_rdata(SOA, "ns1 hostmaster 1 14400 3600 1209600 600", origin)])
    answers = {
        SOA: soa,
        NS: rrset(origin, NS, 3600, [parse_name(f"{each}.") for each in servers]),
        A: rrset(origin, A, 60, [b"\x7f\0\0\1"]),
    }
    found = answers.get(rtype) if name == origin else None
    edns = Edns(1232, 0, 0) if asked.edns else None
    if found is None:
        return Message(asked.id, QR | AA, 0 if name == origin else 3, asked.questions, (), records([soa]), (), edns)
    return Message(asked.id, QR | AA, 0, asked.questions, records([found]), (), (), edns)


class Liar:
    """``behaviours``: zone → what it does when asked about it. Names of no zone are answered honestly."""

    def __init__(
        self,
        address: str,
        servers: list[str],
        behaviours: dict[str, Callable[[Message, bool, Message], Message | bytes | None]],
    ) -> None:
        self.address, self._servers = address, servers
        self.behaviours = {parse_name(f"{zone}."): each for zone, each in behaviours.items()}

        self._udp = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        self._tcp = socket.socket(socket.AF_INET, socket.SOCK_STREAM)

    def start(self) -> None:
        self._tcp.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        for port in (self._udp, self._tcp):
            port.bind((self.address, 53))
        self._tcp.listen(64)
        for work in (self._datagrams, self._streams):
            threading.Thread(target=work, daemon=True).start()

    def stop(self) -> None:
        for port in (self._udp, self._tcp):
            port.close()

    def _answer(self, wire: bytes, tcp: bool) -> bytes | None:
        asked = decode(wire)
        honest = zone_answer(asked, self._servers)
        for zone, behaviour in self.behaviours.items():
            if is_under(asked.questions[0].name, zone):
                told = behaviour(asked, tcp, honest)
                return encode(told) if isinstance(told, Message) else told
        return encode(honest)

    def _datagrams(self) -> None:
        while True:
            try:
                wire, sender = self._udp.recvfrom(4096)
                if answer := self._answer(wire, False):
                    self._udp.sendto(answer, sender)
            except OSError:
                return

    def _streams(self) -> None:
        while True:
            try:
                stream, _ = self._tcp.accept()
            except OSError:
                return
            threading.Thread(target=self._stream, args=(stream,), daemon=True).start()

    def _stream(self, stream: socket.socket) -> None:
        with stream:
            try:
                (length,) = struct.unpack("!H", stream.recv(2))
                answer = self._answer(stream.recv(length), True)
                if answer:
                    stream.sendall(struct.pack("!H", len(answer)) + answer)
            except (OSError, struct.error):
                return


# Ways to lie


def silent(asked: Message, tcp: bool, honest: Message) -> None:
    return None


def without_edns(asked: Message, tcp: bool, honest: Message) -> Message:
    return honest._replace(edns=None)


def refuses_edns(asked: Message, tcp: bool, honest: Message) -> Message:
    return Message(asked.id, QR, 1, asked.questions) if asked.edns else honest


def drops_edns(asked: Message, tcp: bool, honest: Message) -> Message | None:
    return None if asked.edns else honest


def truncates(asked: Message, tcp: bool, honest: Message) -> Message | None:
    return None if tcp else Message(asked.id, QR | AA | TC, 0, asked.questions)


def only_udp(asked: Message, tcp: bool, honest: Message) -> Message | None:
    return None if tcp else honest


def other_over_tcp(asked: Message, tcp: bool, honest: Message) -> Message:
    return Message(asked.id, QR, 5, asked.questions) if tcp else honest


def garbage(asked: Message, tcp: bool, honest: Message) -> bytes:
    return encode(honest)[:-3]


def without_authority(asked: Message, tcp: bool, honest: Message) -> Message:
    return honest._replace(flags=QR)


def upwards(asked: Message, tcp: bool, honest: Message) -> Message:
    root = RRset(Name(b"\0"), NS, 60, (parse_name("a.root.test."),))
    return Message(asked.id, QR, 0, asked.questions, (), records([root]))


def fails(asked: Message, tcp: bool, honest: Message) -> Message:
    return Message(asked.id, QR, 2, asked.questions)


def denies(asked: Message, tcp: bool, honest: Message) -> Message:
    return honest._replace(rcode=3, answer=())


def without_soa(asked: Message, tcp: bool, honest: Message) -> Message:
    return honest._replace(answer=()) if asked.questions[0].rtype == SOA else honest


def many_names(asked: Message, tcp: bool, honest: Message) -> Message:
    """As many NS records as fit into a message over TCP."""
    if asked.questions[0].rtype != NS:
        return honest
    if not tcp:
        return Message(asked.id, QR | AA | TC, 0, asked.questions)
    origin = asked.questions[0].name
    hosts = tuple(sorted(parse_name(f"n{number}.{'x' * 20}.example.") for number in range(1200)))
    return honest._replace(answer=records([RRset(origin, NS, 60, hosts)]))


def nasty_text(asked: Message, tcp: bool, honest: Message) -> Message:
    """Control characters and markup wherever text can stand."""
    origin = asked.questions[0].name
    label = b"\x1b[31m<script>alert(1)</script>"
    host = Name(bytes((len(label),)) + label + origin)
    if asked.questions[0].rtype == 16:
        text = b"\x1b]0;owned\x07<img src=x onerror=alert(1)>"
        return honest._replace(
            rcode=0, authority=(), answer=records([RRset(origin, 16, 60, (bytes((len(text),)) + text,))])
        )
    if asked.questions[0].rtype == 15 and not label.startswith(origin[:4]):
        return honest._replace(rcode=0, authority=(), answer=records([RRset(origin, 15, 60, (b"\0\1" + host,))]))
    return honest


def own_alias(asked: Message, tcp: bool, honest: Message) -> Message:
    """www leads to itself."""
    name, rtype = asked.questions[0][:2]
    if name.startswith(b"\3www") and rtype in (1, 28):
        return honest._replace(rcode=0, authority=(), answer=records([RRset(name, 5, 60, (name,))]))
    return honest
