"""A zone as it comes in by transfer (RFC 5936 s2.2): the records of each message straight into RRsets, and nothing made in between.

A million records pass through :meth:`IncomingZone.read`, so it does by hand what :mod:`legatum.wire.message` does in small steps: an
owner that is a pointer to a name read before, or one or two labels before such a pointer, costs no call. Servers send an RRset's
records one after the other, as a rule; where they do not, the set is put together at the end.
"""

import struct
from itertools import repeat
from typing import Any

from legatum.core.name import MAX_NAME, Name, is_under
from legatum.core.rrset import RRset
from legatum.core.rrtype import NAME_FIELDS, SOA
from legatum.core.zone import Zone
from legatum.wire.malformed import Malformed
from legatum.wire.message import IN, LENGTHS, Names, canonical, read_name

_FIXED = struct.Struct("!HHIH")
_LAST_TTL = 0x7FFFFFFF
_MORE = 0x10000  # more than any length
# Types whose data are looked into: where their one name begins, less than nothing for an address of that length, or that there is more.
_LOOKED_INTO = {rtype: -length for rtype, length in LENGTHS.items()}
_LOOKED_INTO |= {rtype: _MORE if strings or names > 1 else skip for rtype, (skip, strings, names) in NAME_FIELDS.items()}


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
        fixed, known, looked_into = _FIXED.unpack_from, names.get, _LOOKED_INTO.get
        enter, origin, new = self._found.setdefault, self.origin, tuple.__new__
        inside, owner, inner = True, origin, {origin}
        for _ in repeat(None, count):
            start, length = at, wire[at]
            met = None
            if length >= 192:
                met = known((length & 63) << 8 | wire[at + 1])
                name, at = (met, at + 2) if met is not None else read_name(wire, at, names)
            else:
                after = at + length + 1
                if 0 < length < 64 and wire[after] >= 192:
                    met = known((wire[after] & 63) << 8 | wire[after + 1])
                if met is not None and len(met) + length < MAX_NAME:
                    whole: Any = wire[at:after].lower() + met  # Any: to call Name would cost as much as making it
                    names[start] = name = whole
                    at = after + 2
                else:
                    name, at = read_name(wire, at, names)
            rtype, rclass, ttl, length = fixed(wire, at)
            at += 10
            end = at + length
            skip = looked_into(rtype)
            if skip is None or skip == -length:
                rdata = wire[at:end]
            elif skip < 0:
                raise Malformed("an address of the wrong length")
            elif length == skip + 2 and wire[end - 2] >= 192 and (target := known((wire[end - 2] & 63) << 8 | wire[end - 1])) is not None:
                rdata = wire[at : end - 2] + target
            else:
                rdata = canonical(wire, at, end, rtype, names)
                if rtype == SOA and self._bounds(name, ttl, rdata):
                    at = end
                    continue
            at = end
            if name is not owner:
                owner, inside = name, met in inner or is_under(name, origin)
                if inside:
                    inner.add(name)
            if not inside or rclass != IN:
                continue
            made = new(RRset, (name, rtype, ttl if ttl <= _LAST_TTL else 0, (rdata,)))
            held = enter((name, rtype), made)
            if held is not made:
                self._join(held, made)
        if at > len(wire):
            raise Malformed("cut off")
        self.count += count
        self.misplaced |= self.opening is None and count > 0
        return at

    def _join(self, held: RRset, made: RRset) -> None:
        """One more record of an RRset. Where TTLs differ the least counts (RFC 2181 s5.2)."""
        key = (held.name, held.rtype)
        if made.ttl < held.ttl:
            self._found[key] = held.with_ttl(made.ttl)
        self._several.setdefault(key, [held.rdatas[0]]).append(made.rdatas[0])

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
        """What came."""
        for key, rdatas in self._several.items():
            held = self._found[key]
            self._found[key] = RRset(held.name, held.rtype, held.ttl, tuple(sorted(set(rdatas))))
        return Zone.of(self.origin, self._found)
