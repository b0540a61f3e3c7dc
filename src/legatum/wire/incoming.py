"""A zone as it comes in by transfer (RFC 5936 s2.2): the records of each message straight into RRsets, and nothing made
in between.

A million records pass through :meth:`IncomingZone.read`, so it does by hand what :mod:`legatum.wire.message` does in
small steps. An owner is a pointer to a name met before or labels before one, as a rule, and costs no call then; a name
in the data is such a pointer, one label before it, or a name of this message in full. Servers send a name's records one
after the other, those of a type together, as a rule; where they do not, the sets are put together at the end.
"""

import struct
from itertools import chain, repeat
from operator import itemgetter
from typing import Any

from legatum.core.records.name import MAX_NAME, ROOT, Name, is_under
from legatum.core.records.rrset import RRset, rrset
from legatum.core.records.rrtype import NAME_FIELDS, SOA
from legatum.core.zones.zone import Zone
from legatum.wire.malformed import Malformed
from legatum.wire.message import IN, LENGTHS, POINTER, TOO_LONG, UNKNOWN_LABEL, canonical, read_name

_FIXED = struct.Struct("!HHiH")  # of a TTL over 2^31 - 1 nothing is left (RFC 2181 s8): less than nothing here
_POINTED = struct.Struct("!HHHiH")  # the same behind a pointer
_SHORT = struct.Struct("!H")
_MORE = 0x10000  # more than any length
# By type, where data are looked into: where their one name begins, less than nothing for an address of that length, or
# that there is more.
_LOOKED_INTO: list[int | None] = [None] * 0x10000
for _rtype, _length in LENGTHS.items():
    _LOOKED_INTO[_rtype] = -_length
for _rtype, (_skip, _strings, _names) in NAME_FIELDS.items():
    _LOOKED_INTO[_rtype] = _MORE if _strings or _names > 1 else _skip

_rtype_of = itemgetter(1)


class IncomingZone:
    """Give ``read`` to :func:`legatum.wire.message.decode` for each message; ``closing`` is set when the zone has come
    whole."""

    def __init__(self, origin: Name) -> None:
        self.origin = origin
        self.opening: RRset | None = None  # the SOA that a transfer begins with
        self.closing: RRset | None = None
        self.count = 0
        self.misplaced = False  # it does not begin with the SOA
        self._sets: dict[Name, tuple[RRset, ...]] = {}
        self._further: list[RRset] = []  # of names that came before, or with a type in several places

    def read(self, wire: bytes, at: int, count: int, names: dict[int, Any]) -> int:
        """An answer section of ``count`` records; the offset after it. Raises :class:`Malformed`, ``IndexError`` or
        ``struct.error``.

        Names are bytes to the type checker here: to call ``Name`` would cost as much as making one.
        """
        pointed, fixed, short = _POINTED.unpack_from, _FIXED.unpack_from, _SHORT.unpack_from
        known, looked_into, origin = names.get, _LOOKED_INTO, self.origin
        came: list[tuple[Name, int, int, tuple[bytes, ...]]] = []
        begins: list[int] = []  # the places there where another owner begins
        further: dict[int, list[bytes]] = {}  # data of the sets that came, by the place there
        inner: dict[bytes, Name] = {origin: origin}  # names of the zone, with a name that each ends in
        name: Any = None
        owner, before, inside, last = None, -1, True, -1
        for _ in repeat(None, count):
            length = wire[at]
            if length >= 192:
                pointer, rtype, rclass, ttl, length = pointed(wire, at)
                if pointer != last:
                    name = met = known(pointer) or read_name(wire, at, names)[0]
                    last = pointer
                head = at + 12
            else:
                start = at
                while 0 < length < 64:
                    at += length + 1
                    length = wire[at]
                if length >= 192:
                    pointer, rtype, rclass, ttl, length = pointed(wire, at)
                    met = known(pointer) or read_name(wire, at, names)[0]
                    name = wire[start:at].lower() + met
                    head = at + 12
                elif not length:
                    rtype, rclass, ttl, length = fixed(wire, at + 1)
                    met, name = ROOT, wire[start : at + 1].lower()
                    head = at + 11
                else:
                    raise Malformed(UNKNOWN_LABEL)
                if len(name) > MAX_NAME:
                    raise Malformed(TOO_LONG)
                last = start + POINTER
                names[last] = name
            at = head + length
            if name != owner:
                owner, before = name, -1
                inside = met in inner or is_under(name, origin)
                if inside:
                    inner[name] = met
                    begins.append(len(came))
            if rclass != IN or not inside:
                continue
            skip = looked_into[rtype]
            if skip is None or skip == -length:
                rdata = wire[head:at]
            elif skip < 0:
                raise Malformed("an address of the wrong length")
            else:
                begin, stop = head + skip, at - 2
                target = known(short(wire, stop)[0])
                if target is not None and begin == stop:
                    rdata = wire[head:begin] + target
                elif (
                    target is not None
                    and 1 < stop - begin == wire[begin] + 1 <= 64
                    and stop - begin + len(target) <= MAX_NAME
                ):
                    names[begin + POINTER] = target = wire[begin:stop].lower() + target
                    rdata = wire[head:begin] + target
                elif (target := wire[begin:at]) in inner:
                    rdata, met = wire[head:at], inner[target]
                    names[begin + POINTER], names[at - len(met) + POINTER] = target, met
                else:
                    rdata = canonical(wire, head, at, rtype, names)
                    if (
                        rtype == SOA
                        and name == origin
                        and self._ends(RRset(name, SOA, max(ttl, 0), (rdata,)), bool(came))
                    ):
                        continue
            if rtype != before:
                came.append((name, rtype, ttl if ttl > 0 else 0, (rdata,)))
                before = rtype
            else:
                further.setdefault(len(came) - 1, []).append(rdata)
                if ttl < came[-1][2]:
                    came[-1] = (name, rtype, ttl if ttl > 0 else 0, came[-1][3])
        if at > len(wire):
            raise Malformed("cut off")
        for place, more in further.items():
            name, rtype, ttl, rdatas = came[place]
            came[place] = name, rtype, ttl, tuple(sorted({*rdatas, *more}))
        self._take(tuple(map(tuple.__new__, repeat(RRset), came)), begins)
        self.count += count
        self.misplaced |= self.opening is None and count > 0
        return at

    def _ends(self, soa: RRset, late: bool) -> bool:
        """Whether this SOA of the zone is not the first one, that a transfer begins with."""
        if self.opening is None:
            self.misplaced = late or bool(self._sets)
            self.opening = soa
            return False
        if self.closing is None:
            self.closing = soa
        return True

    def _take(self, came: tuple[RRset, ...], begins: list[int]) -> None:
        """The RRsets of a message; ``begins``: where those of another owner begin."""
        held = self._sets
        for begin, end in zip(begins, [*begins[1:], len(came)], strict=False):
            sets = came[begin:end]
            if sets:
                name = sets[0][0]
                # Those of a type that stand side by side are one set already: it takes three for one type to come
                # twice.
                if name in held or (end - begin > 2 and len(set(map(_rtype_of, sets))) < end - begin):
                    self._further.extend(sets)
                else:
                    held[name] = sets

    def zone(self) -> Zone:
        """What came."""
        parts: dict[Name, list[RRset]] = {}
        for each in self._further:
            parts.setdefault(each.name, list(self._sets.get(each.name, ()))).append(each)
        self._sets.update((name, _joined(sets)) for name, sets in parts.items())
        return Zone.of(self.origin, self._sets)


def _joined(sets: list[RRset]) -> tuple[RRset, ...]:
    """RRsets of one name, each type once. Where TTLs of a type differ the least counts (RFC 2181 s5.2)."""
    types: dict[int, list[RRset]] = {}
    for each in sets:
        types.setdefault(each.rtype, []).append(each)
    return tuple(
        rrset(same[0].name, rtype, min(each.ttl for each in same), chain.from_iterable(each.rdatas for each in same))
        for rtype, same in types.items()
    )
