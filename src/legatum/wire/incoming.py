"""A zone as it comes in by transfer (RFC 5936 s2.2): the records of each message straight into RRsets, and nothing made in between.

A million records pass through :meth:`IncomingZone.read`, so it does by hand what :mod:`legatum.wire.message` does in small steps: an
owner that is a pointer to a name read before, or one or two labels before such a pointer, costs no call. Servers send an RRset's
records one after the other, as a rule; where they do not, the set is put together at the end.
"""

import struct

from legatum.core.name import Name, is_under
from legatum.core.rrset import RRset
from legatum.core.rrtype import NAME_FIELDS, SOA
from legatum.core.zone import Zone
from legatum.wire.malformed import Malformed
from legatum.wire.message import FORMED, IN, LENGTHS, Names, canonical, read_name

_FIXED = struct.Struct("!HHIH")
_LAST_TTL = 0x7FFFFFFF


class IncomingZone:
    """Feed :meth:`read` to :func:`legatum.wire.message.decode` for message after message until :attr:`closing` is there."""

    def __init__(self, origin: Name) -> None:
        self.origin = origin
        self.opening: RRset | None = None
        self.closing: RRset | None = None
        self.count = 0
        self.misplaced = False  # it does not begin with the SOA
        self._found: dict[tuple[Name, int], RRset] = {}
        self._several: dict[tuple[Name, int], list[bytes]] = {}

    def read(self, wire: bytes, at: int, count: int, names: Names) -> int:
        """An answer section of ``count`` records; the offset after it. Raises :class:`Malformed`, ``IndexError`` or ``struct.error``."""
        fixed, fields, formed, size, known = _FIXED.unpack_from, NAME_FIELDS, FORMED, len(wire), names.get
        found, several, origin, new = self._found, self._several, self.origin, tuple.__new__
        inside, owner = True, origin
        for _ in range(count):
            start, length = at, wire[at]
            if length >= 192:
                met = known((length & 63) << 8 | wire[at + 1])
                name, at = (met[0], at + 2) if met is not None else read_name(wire, at, names)
            else:
                after = at + length + 1
                met = known((wire[after] & 63) << 8 | wire[after + 1]) if length and length < 64 and wire[after] >= 192 else None
                if met is not None and len(met[0]) + length < 255:
                    name, at = Name(wire[at:after].lower() + met[0]), after + 2
                    names[start] = (name, at)
                else:
                    name, at = read_name(wire, at, names)
            rtype, rclass, ttl, length = fixed(wire, at)
            at += 10
            end = at + length
            if end > size:
                raise Malformed("cut off")
            if rtype not in formed:
                rdata = wire[at:end]
            elif rtype in fields:
                rdata = canonical(wire, at, end, rtype, names)
            elif length == LENGTHS[rtype]:
                rdata = wire[at:end]
            else:
                raise Malformed("an address of the wrong length")
            at = end
            if rtype == SOA and self._bounds(name, ttl, rdata):
                continue
            if name is not owner:
                inside, owner = is_under(name, origin), name
            if not inside or rclass != IN:
                continue
            if ttl > _LAST_TTL:
                ttl = 0
            key = (name, rtype)
            held = found.get(key)
            if held is None:
                found[key] = new(RRset, (name, rtype, ttl, (rdata,)))
            else:
                if ttl < held[2]:
                    found[key] = held.with_ttl(ttl)
                if key in several:
                    several[key].append(rdata)
                else:
                    several[key] = [held[3][0], rdata]
        self.count += count
        self.misplaced |= self.opening is None and count > 0
        return at

    def _bounds(self, name: Name, ttl: int, rdata: bytes) -> bool:
        """The SOA that a transfer begins and ends with."""
        if name != self.origin:
            return False
        bound = RRset(name, SOA, ttl if ttl <= _LAST_TTL else 0, (rdata,))
        if self.opening is None:
            self.misplaced = bool(self._found)
            self.opening = self._found[name, SOA] = bound
        elif self.closing is None:
            self.closing = bound
        return True

    def zone(self) -> Zone:
        """What came; where TTLs differ inside a set the least counts (RFC 2181 s5.2)."""
        for key, rdatas in self._several.items():
            self._found[key] = self._found[key]._replace(rdatas=tuple(sorted(set(rdatas))))
        return Zone.of(self.origin, self._found)
