"""Questions in a capture of a server's traffic (pcap), read in one pass: how often each name is asked for, by whom, and
what secondaries do.

Ethernet, raw IP, Linux cooked and loopback link types; IPv4 and IPv6; UDP to port 53. What is not a question to a
server is passed over. Memory stays flat: names outside those asked for are counted together, and so are resolvers
beyond a number.
"""

import struct
from collections import Counter, defaultdict
from collections.abc import Iterator
from dataclasses import dataclass, field
from ipaddress import ip_address
from itertools import pairwise
from pathlib import Path
from typing import BinaryIO

from legatum.core.records.name import Name
from legatum.core.records.rrtype import IXFR, SOA
from legatum.core.running.fault import BadInput

_MAGICS = {
    b"\xd4\xc3\xb2\xa1": ("<", 1e6),
    b"\xa1\xb2\xc3\xd4": (">", 1e6),
    b"\x4d\x3c\xb2\xa1": ("<", 1e9),
    b"\xa1\xb2\x3c\x4d": (">", 1e9),
}
_NEXT_GENERATION = b"\x0a\x0d\x0d\x0a"
_LINKS = {0: 4, 1: 14, 101: 0, 108: 4, 113: 16, 228: 0, 229: 0, 276: 20}  # link type → octets before the IP header
_CHUNK, _LONGEST = 1 << 20, 1 << 18
_DNS_PORT, _UDP = b"\x00\x35", 17
_MOST_RESOLVERS, _MOST_EVENTS = 200_000, 10_000
_NOTIFY = 4
AXFR = 252


@dataclass
class Asked:
    """Of one name and type: how often each address asked, as octets; ``others``: questions of resolvers beyond those
    told apart."""

    by: Counter[bytes] = field(default_factory=Counter)
    others: int = 0

    @property
    def total(self) -> int:
        return self.by.total() + self.others


@dataclass
class Captured:
    """``asked``: name and type → who asked; ``elsewhere``: questions for other names; ``begins``, ``ends``: of the
    capture, in seconds since 1970; ``cut``: the file ends in the middle of a packet; ``looks``: address → when it asked
    for the SOA record or a transfer of the domain, as secondaries do; ``told``: address → when it was sent a NOTIFY."""

    asked: dict[tuple[Name, int], Asked] = field(default_factory=dict)
    elsewhere: int = 0
    packets: int = 0
    begins: float = 0.0
    ends: float = 0.0
    cut: bool = False
    looks: dict[str, list[tuple[float, int]]] = field(default_factory=lambda: defaultdict(list))
    told: dict[str, list[float]] = field(default_factory=lambda: defaultdict(list))

    @property
    def seconds(self) -> float:
        return self.ends - self.begins


def read_capture(path: Path, domain: Name) -> Captured:
    """What was asked of names in the domain. Raises :class:`BadInput` for a file that is none, or of a link type that
    is not known."""
    try:
        with path.open("rb") as file:
            return _read(file, path, domain)
    except OSError as error:
        raise BadInput(f"{path}: {error.strerror}", "give a capture file (pcap)") from None


def _read(file: BinaryIO, path: Path, domain: Name) -> Captured:
    head = file.read(24)
    if head[:4] == _NEXT_GENERATION:
        raise BadInput(f"{path} is a capture of the newer form (pcapng)", "write it in the older form: pcap")
    if len(head) < 24 or head[:4] not in _MAGICS:
        raise BadInput(f"{path} is no capture", "a pcap file, as tools that record packets write it")
    order, fraction = _MAGICS[head[:4]]
    (link,) = struct.unpack(f"{order}20xI", head)
    link &= 0xFFFF
    if link not in _LINKS:
        raise BadInput(f"{path}: packets of link type {link} cannot be read", f"one of {', '.join(map(str, _LINKS))}")
    found = Captured()
    counting = _Counting(domain, found, _LINKS[link])
    for at, packet in _packets(file, order, fraction, found, path):
        counting.take(at, packet)
    return found


def _packets(file: BinaryIO, order: str, fraction: float, found: Captured, path: Path) -> Iterator[tuple[float, bytes]]:
    """Each with its instant. A file that ends in the middle of one is read so far."""
    unpack, rest = struct.Struct(f"{order}IIII").unpack_from, b""
    while chunk := file.read(_CHUNK):
        buffer = rest + chunk if rest else chunk
        at, end = 0, len(buffer)
        while at + 16 <= end:
            seconds, parts, kept, _ = unpack(buffer, at)
            if kept > _LONGEST:
                raise BadInput(f"{path}: a packet of {kept} octets cannot be", "is the file damaged?")
            if at + 16 + kept > end:
                break
            found.packets += 1
            moment = seconds + parts / fraction
            if found.packets == 1:
                found.begins = moment
            found.ends = moment
            yield moment, buffer[at + 16 : at + 16 + kept]
            at += 16 + kept
        rest = buffer[at:]
    found.cut = bool(rest)


class _Counting:
    """One packet after the other. ``front``: octets before the IP header."""

    def __init__(self, domain: Name, found: Captured, front: int) -> None:
        self._domain, self._found, self._front = bytes(domain), found, front
        self._names: dict[bytes, Asked | None] = {}

    def take(self, at: float, packet: bytes) -> None:
        start = self._front
        if start == 14 and packet[12:14] == b"\x81\x00":  # a VLAN tag
            start = 18
        if len(packet) < start + 28:
            return
        version = packet[start] >> 4
        if version == 4:
            if packet[start + 9] != _UDP:
                return
            source, udp = packet[start + 12 : start + 16], start + (packet[start] & 15) * 4
        elif version == 6:
            if packet[start + 6] != _UDP:
                return
            source, udp = packet[start + 8 : start + 24], start + 40
        else:
            return
        if packet[udp + 2 : udp + 4] != _DNS_PORT:
            return
        message = packet[udp + 8 :]
        if len(message) < 17 or message[2] & 0x80 or message[4:6] != b"\x00\x01":
            return
        self._question(at, bytes(source), bytes(message[12:]), message[2] >> 3 & 15, packet, start, version)

    def _question(
        self, at: float, source: bytes, rest: bytes, opcode: int, packet: bytes, start: int, version: int
    ) -> None:
        end = rest.find(b"\0")
        if end < 0 or len(rest) < end + 5:
            return
        key = rest[: end + 3].lower() if opcode == 0 else rest[: end + 3]
        if opcode == _NOTIFY:
            if rest[: end + 1].lower() == self._domain:
                target = packet[start + 16 : start + 20] if version == 4 else packet[start + 24 : start + 40]
                _note(self._found.told[_text(bytes(target))], at)
            return
        if opcode:
            return
        known = self._names[key] if key in self._names else self._known(key, end)
        if known is None:
            self._found.elsewhere += 1
            return
        by = known.by
        if source in by or len(by) < _MOST_RESOLVERS:
            by[source] += 1
        else:
            known.others += 1
        rtype = int.from_bytes(key[end + 1 :])
        if rtype in (SOA, IXFR, AXFR) and rest[: end + 1].lower() == self._domain:
            looks = self._found.looks[_text(source)]
            if len(looks) < _MOST_EVENTS:
                looks.append((at, rtype))

    def _known(self, key: bytes, end: int) -> Asked | None:
        """Where it counts; None for a name outside the domain, or beyond those that are kept."""
        name = key[: end + 1]
        inside = _inside(name, self._domain)
        if len(self._names) >= _MOST_RESOLVERS:
            return None
        found = Asked() if inside else None
        if found is not None:
            self._found.asked[Name(name), int.from_bytes(key[end + 1 : end + 3])] = found
        self._names[key] = found
        return found


def _inside(name: bytes, domain: bytes) -> bool:
    """By whole labels."""
    at = 0
    while at < len(name) and len(name) - at >= len(domain):
        if name[at:] == domain:
            return True
        at += 1 + name[at]
    return False


def _note(events: list[float], at: float) -> None:
    if len(events) < _MOST_EVENTS:
        events.append(at)


def _text(address: bytes) -> str:
    return str(ip_address(address))


def refreshing(captured: Captured) -> Iterator[str]:
    """What secondaries were seen to do, in words: how often each looks, and how soon after a NOTIFY."""
    for address, looks in sorted(captured.looks.items()):
        moments = [at for at, _ in looks]
        gaps = sorted(later - earlier for earlier, later in pairwise(moments))
        told = captured.told.get(address, [])
        soon = [min((at - one for at in moments if at >= one), default=None) for one in told]
        answered = sorted(each for each in soon if each is not None)
        words = f"{address} asked {len(moments)} times for the SOA record or a transfer"
        words += f", mostly every {gaps[len(gaps) // 2]:.1f} s" if gaps else ""
        if told:
            words += f"; it was told by NOTIFY {len(told)} times" + (
                f", and looked {answered[len(answered) // 2]:.2f} s later" if answered else ""
            )
        yield words
