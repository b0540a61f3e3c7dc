"""Replies as a capture file that packet tools open (pcap, link type RAW: bare IP packets).

The packets are made from what was kept - addresses, ports of the protocols, questions, answers, times - as the sockets
do not give packets. Answers over TCP, TLS and HTTPS stand as one TCP segment each way, those of TLS and HTTPS as plain
DNS over port 53.
"""

import struct
from collections.abc import Iterable, Iterator
from ipaddress import ip_address
from pathlib import Path

from legatum.net.asking.reply import Reply, Transport
from legatum.net.file import write_whole

_MAGIC, _RAW, _SNAP = 0xA1B2C3D4, 101, 65535
_PORT, _UDP, _TCP = 53, 17, 6
_US = {
    4: "192.0.0.8",
    6: "100::1",
}  # dummy and discard addresses (RFC 7600, RFC 6666): which address was ours is not kept
_PUSH_ACK = 0x18


def write_capture(path: Path, replies: Iterable[Reply]) -> int:
    """The number of packets. Raises as :func:`~legatum.net.file.write_whole`."""
    packets = [packet for number, reply in enumerate(replies) for packet in _packets(reply, 49152 + number % 16384)]
    packets.sort(key=lambda each: each[0])
    head = struct.pack("!IHHiIII", _MAGIC, 2, 4, 0, 0, _SNAP, _RAW)
    body = (
        struct.pack("!IIII", int(at), int(at % 1 * 1e6), len(packet), len(packet)) + packet for at, packet in packets
    )
    write_whole(path, head + b"".join(body))
    return len(packets)


def _packets(reply: Reply, port: int) -> Iterator[tuple[float, bytes]]:
    plain = reply.transport in (Transport.UDP, Transport.TCP)
    try:
        there = ip_address(reply.server if plain else reply.server.partition(":")[2])
    except ValueError:
        return
    us = ip_address(_US[there.version]).packed
    stream = reply.transport != Transport.UDP
    if reply.query:
        yield reply.at - reply.took, _ip(us, there.packed, _segment(us, there.packed, port, _PORT, reply.query, stream))
    if reply.wire:
        yield reply.at, _ip(there.packed, us, _segment(there.packed, us, _PORT, port, reply.wire, stream))


def _segment(
    source: bytes, target: bytes, source_port: int, target_port: int, wire: bytes, stream: bool
) -> tuple[int, bytes]:
    if not stream:
        length = 8 + len(wire)
        datagram = struct.pack("!HHHH", source_port, target_port, length, 0) + wire
        return _UDP, datagram[:6] + struct.pack("!H", _checksum(source, target, _UDP, datagram) or 0xFFFF) + wire
    payload = (struct.pack("!H", len(wire)) + wire)[: _SNAP - 64]
    head = struct.pack("!HHIIBBHHH", source_port, target_port, 1, 1, 5 << 4, _PUSH_ACK, 65535, 0, 0)
    total = _checksum(source, target, _TCP, head + payload)
    return _TCP, head[:16] + struct.pack("!H", total) + head[18:] + payload


def _ip(source: bytes, target: bytes, carried: tuple[int, bytes]) -> bytes:
    protocol, segment = carried
    if len(source) == 16:
        return struct.pack("!IHBB", 6 << 28, len(segment), protocol, 64) + source + target + segment
    head = struct.pack("!BBHHHBBH", 0x45, 0, 20 + len(segment), 0, 0x4000, 64, protocol, 0) + source + target
    return head[:10] + struct.pack("!H", _sum(head)) + head[12:] + segment


def _checksum(source: bytes, target: bytes, protocol: int, segment: bytes) -> int:
    if len(source) == 16:
        pseudo = source + target + struct.pack("!II", len(segment), protocol)
    else:
        pseudo = source + target + struct.pack("!HH", protocol, len(segment))
    return _sum(pseudo + segment)


def _sum(octets: bytes) -> int:
    """The Internet checksum (RFC 1071)."""
    padded = octets + b"\0" * (len(octets) & 1)
    total: int = sum(struct.unpack(f"!{len(padded) // 2}H", padded))
    while total >> 16:
        total = (total & 0xFFFF) + (total >> 16)
    return ~total & 0xFFFF
