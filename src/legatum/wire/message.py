"""DNS messages: bytes to sections of records and RRsets, and back (RFC 1035 s4, RFC 6891, RFC 3597).

Decoding does only what is needed: names are decompressed with a memo, data stay bytes, and only the data of types that
carry names are rewritten, so that every RRset comes out as canonical wire bytes. A compression pointer must lead
strictly backwards from the labels it stands behind, which bounds every name without counting; whatever else is wrong
ends in :class:`Malformed`, never in a hang or an index error.
"""

import struct
from collections.abc import Callable, Iterable, Sequence
from functools import cache
from ipaddress import ip_network
from typing import Any, NamedTuple

from legatum.core.records.name import MAX_NAME, Name
from legatum.core.records.rrset import RRset
from legatum.core.records.rrtype import COMPRESSIBLE, NAME_FIELDS, OPT, TSIG
from legatum.wire.malformed import Malformed

IN, NONE, ANY_CLASS = 1, 254, 255
QR, AA, TC, RD, RA, AD, CD = 0x8000, 0x0400, 0x0200, 0x0100, 0x0080, 0x0020, 0x0010
DO = 0x8000
CLIENT_SUBNET = 8
QUERY, NOTIFY, UPDATE = 0, 4, 5
MAX_MESSAGE = 65535
MAX_POINTERS = 127  # that a name may pass through
TOO_LONG, UNKNOWN_LABEL = "a name longer than 255 octets", "a label of unknown kind"

LENGTHS = {1: 4, 28: 16}  # of addresses
_TAILS = {2: 0, 5: 0, 6: 20, 12: 0, 15: 0, 39: 0}  # what follows the names
FORMED = NAME_FIELDS.keys() | LENGTHS.keys()  # data that are looked into; all others are taken as they come
POINTER = 0xC000  # the two bits that tell one from a label's length
Names = dict[int, Name]  # of a message, by what points to each: its offset, with these bits
Answers = Callable[[bytes, int, int, Names], int]  # reads a section: bytes, offset, count, names; the offset after it
_HEADER = struct.Struct("!6H")
_FIXED = struct.Struct("!HHIH")
_PAIR = struct.Struct("!HH")


class Question(NamedTuple):
    name: Name
    rtype: int
    rclass: int = IN


class Record(NamedTuple):
    """One record as it stands in a section: order, class and duplicates kept. For transfers and updates."""

    name: Name
    rtype: int
    rclass: int
    ttl: int
    rdata: bytes


class Edns(NamedTuple):
    """The EDNS part of a message (RFC 6891): ``options`` are (code, bytes) pairs."""

    size: int
    version: int
    flags: int
    options: tuple[tuple[int, bytes], ...] = ()


class Message(NamedTuple):
    """A whole message. Sections hold records in order; :func:`rrsets` groups one.

    ``flags`` are without the response code, ``rcode`` includes the EDNS bits. ``tsig_at`` is the
    offset of a closing TSIG record, for checking its signature.
    """

    id: int
    flags: int
    rcode: int
    questions: tuple[Question, ...] = ()
    answer: tuple[Record, ...] = ()
    authority: tuple[Record, ...] = ()
    additional: tuple[Record, ...] = ()
    edns: Edns | None = None
    tsig_at: int | None = None

    @property
    def opcode(self) -> int:
        return self.flags >> 11 & 15

    @property
    def authoritative(self) -> bool:
        return bool(self.flags & AA)

    @property
    def truncated(self) -> bool:
        return bool(self.flags & TC)


def rrsets(section: Iterable[Record]) -> tuple[RRset, ...]:
    """The RRsets of a section, class IN, in order of first appearance. Where TTLs differ inside a set the least counts
    (RFC 2181 s5.2)."""
    if not section:
        return ()
    grouped: dict[tuple[Name, int], list[Record]] = {}
    for record in section:
        if record[2] == IN:
            key = (record[0], record[1])
            if key in grouped:
                grouped[key].append(record)
            else:
                grouped[key] = [record]
    found = []
    for (name, rtype), records in grouped.items():
        if len(records) == 1:
            found.append(RRset(name, rtype, records[0][3], (records[0][4],)))
        else:
            found.append(
                RRset(name, rtype, min(each[3] for each in records), tuple(sorted({each[4] for each in records})))
            )
    return tuple(found)


# Decoding


def decode(wire: bytes, asked: Name | None = None, answers: Answers | None = None) -> Message:
    """The message that ``wire`` holds. Raises :class:`Malformed`, for trailing bytes too.

    ``asked``: the name in the question where that is known already, which spares reading it. ``answers``: who reads the
    answer section instead; the message is without it then.
    """
    try:
        return _decode(wire, asked, answers)
    except (IndexError, struct.error):
        raise Malformed("cut off") from None


def _decode(wire: bytes, asked: Name | None, answers: Answers | None) -> Message:
    ident, flags, asking, answering, authorities, additionals = _HEADER.unpack_from(wire)
    memo: Names = {}
    at = 12
    questions = []
    for _ in range(asking):
        if asked is not None and wire.startswith(asked, at):
            name, at = asked, at + len(asked)
            memo[12 + POINTER] = asked
        else:
            name, at = read_name(wire, at, memo)
        rtype, rclass = _PAIR.unpack_from(wire, at)
        questions.append(Question(name, rtype, rclass))
        at += 4
    answer: tuple[Record, ...] = ()
    if answers is not None:
        at = answers(wire, at, answering, memo)
    else:
        answer, at = _read_section(wire, at, answering, memo)
    authority, at = _read_section(wire, at, authorities, memo)
    additional: tuple[Record, ...] = ()
    edns, rcode, tsig_at = None, flags & 15, None
    if additionals:
        additional, edns, rcode, tsig_at, at = _read_additional(wire, at, additionals, memo, rcode)
    if at != len(wire):
        raise Malformed(f"{len(wire) - at} octets after the end")
    return Message(ident, flags & ~15, rcode, tuple(questions), answer, authority, additional, edns, tsig_at)


def read_name(wire: bytes, at: int, memo: Names, hops: int = 0) -> tuple[Name, int]:
    """The name at an offset, in lower case, and the offset after it. ``memo`` remembers names by offset, those pointed
    to as well."""
    start, length = at, wire[at]
    while 0 < length < 64:
        at += length + 1
        if at - start > MAX_NAME:
            raise Malformed(TOO_LONG)
        length = wire[at]
    name: Any  # to call Name would cost as much as making it
    if not length:
        name, end = wire[start : at + 1].lower(), at + 1
    elif length >= 192:
        pointer, end = length << 8 | wire[at + 1], at + 2
        if pointer >= start + POINTER:
            raise Malformed("a compression pointer that does not lead backwards")
        if hops == MAX_POINTERS:
            raise Malformed("a name of too many pointers")
        name = wire[start:at].lower() + (memo.get(pointer) or read_name(wire, pointer - POINTER, memo, hops + 1)[0])
    else:
        raise Malformed(UNKNOWN_LABEL)
    if len(name) > MAX_NAME:
        raise Malformed(TOO_LONG)
    memo[start + POINTER] = name
    return name, end


def _read_section(wire: bytes, at: int, count: int, memo: Names) -> tuple[tuple[Record, ...], int]:
    if not count:
        return (), at
    records = []
    for _ in range(count):
        record, at = _read_record(wire, at, memo)
        records.append(record)
    return tuple(records), at


def _read_record(wire: bytes, at: int, memo: Names) -> tuple[Record, int]:
    known = memo.get(wire[at] << 8 | wire[at + 1]) if wire[at] >= 192 else None
    if (
        known is not None
    ):  # most owners are a pointer to a name read before; what is in the memo stands before this record
        name, at = known, at + 2
    else:
        name, at = read_name(wire, at, memo)
    rtype, rclass, ttl, length = _FIXED.unpack_from(wire, at)
    at += 10
    end = at + length
    if end > len(wire):
        raise Malformed("cut off")
    if not length or rtype not in FORMED:  # deletions in updates have no data
        rdata = wire[at:end]
    elif rtype in NAME_FIELDS:
        rdata = canonical(wire, at, end, rtype, memo)
    elif length == LENGTHS[rtype]:
        rdata = wire[at:end]
    else:
        raise Malformed("an address of the wrong length")
    return Record(name, rtype, rclass, ttl if ttl < 0x80000000 else 0, rdata), end


def canonical(wire: bytes, at: int, end: int, rtype: int, memo: Names) -> bytes:
    skip, strings, names = NAME_FIELDS[rtype]
    if names == 1 and not strings:
        name, stop = read_name(wire, at + skip, memo)
        if stop > end:
            raise Malformed("a name that runs past its record")
        if stop < end and rtype in _TAILS:
            raise Malformed("data of the wrong length")
        return wire[at : at + skip] + name + wire[stop:end]
    start, at = at, at + skip
    for _ in range(strings):
        at += wire[at] + 1
    parts = [wire[start:at]]
    for _ in range(names):
        name, at = read_name(wire, at, memo)
        parts.append(name)
    if at > end:
        raise Malformed("a name that runs past its record")
    if rtype in _TAILS and end - at != _TAILS[rtype]:
        raise Malformed("data of the wrong length")
    parts.append(wire[at:end])
    return b"".join(parts)


def _read_additional(
    wire: bytes, at: int, count: int, memo: Names, rcode: int
) -> tuple[tuple[Record, ...], Edns | None, int, int | None, int]:
    """The additional section with OPT taken out and the place of a closing TSIG noted."""
    records: list[Record] = []
    edns, tsig_at = None, None
    for number in range(count):
        begin = at
        record, at = _read_record(wire, at, memo)
        if record.rtype == OPT:
            if edns is not None:
                raise Malformed("two OPT records")
            # The TTL field is no time here: take it unclamped.
            (extended,) = struct.unpack_from("!I", wire, at - len(record.rdata) - 6)
            edns = Edns(record.rclass, extended >> 16 & 255, extended & 0xFFFF, _options(record.rdata))
            rcode |= extended >> 24 << 4
            continue
        if record.rtype == TSIG:
            if number != count - 1:
                raise Malformed("a TSIG record that is not the last")
            tsig_at = begin
        records.append(record)
    return tuple(records), edns, rcode, tsig_at, at


def _options(rdata: bytes) -> tuple[tuple[int, bytes], ...]:
    options, at = [], 0
    while at < len(rdata):
        code, length = _PAIR.unpack_from(rdata, at)
        at += 4 + length
        if at > len(rdata):
            raise Malformed("an EDNS option that is cut off")
        options.append((code, rdata[at - length : at]))
    return tuple(options)


# Encoding


def encode_question(
    ident: int, name: Name, rtype: int, *, flags: int = 0, size: int = 1232, dnssec: bool = False, network: str = ""
) -> bytes:
    """A query with one question. ``size`` is the EDNS payload offered, 0 for none; ``dnssec`` sets DO; ``network``: on
    whose behalf (:func:`client_subnet`)."""
    head = _HEADER.pack(ident, flags, 1, 0, 0, 1 if size else 0)
    question = name + _PAIR.pack(rtype, IN)
    return head + question + (_offer(size, dnssec, network) if size else b"")


@cache
def _offer(size: int, dnssec: bool, network: str) -> bytes:
    options = ((CLIENT_SUBNET, client_subnet(network)),) if network else ()
    return _opt(Edns(size, 0, DO if dnssec else 0, options), 0)


def client_subnet(network: str) -> bytes:
    """The EDNS option by which an answer is asked for on behalf of a network (RFC 7871 s6): family, prefix length, no
    scope, as many octets as the length wants. Raises ``ValueError``."""
    subnet = ip_network(network)
    octets = (subnet.prefixlen + 7) // 8
    return (
        struct.pack("!HBB", 1 if subnet.version == 4 else 2, subnet.prefixlen, 0)
        + subnet.network_address.packed[:octets]
    )


def encode(message: Message, limit: int = MAX_MESSAGE) -> bytes:
    """The bytes of a message, owner names and RFC 1035 data compressed.

    Over ``limit`` octets whole sections from the last are left out, then whole RRsets; TC is set when answer or
    authority lost something (RFC 2181 s9). A question and OPT always stay.
    """
    tail = _opt(message.edns, message.rcode) if message.edns else b""
    kept: list[Sequence[Record]] = [message.answer, message.authority, message.additional]
    wire, fits = _pack(message, kept, tail, limit, message.flags)
    if fits:
        return wire
    kept[2] = ()
    wire, fits = _pack(message, kept, tail, limit, message.flags)
    if fits and message.answer:
        return wire
    kept[1] = ()
    while not fits:
        wire, fits = _pack(message, kept, tail, limit, message.flags | TC)
        if not kept[0]:
            break
        last = (kept[0][-1].name, kept[0][-1].rtype)
        kept[0] = [each for each in kept[0] if (each.name, each.rtype) != last]
    return wire


def _pack(
    message: Message, sections: list[Sequence[Record]], tail: bytes, limit: int, flags: int
) -> tuple[bytes, bool]:
    counts = [len(section) for section in sections]
    flags |= message.rcode & 15
    out = bytearray(
        _HEADER.pack(message.id, flags, len(message.questions), counts[0], counts[1], counts[2] + bool(tail))
    )
    seen: dict[bytes, int] = {}
    for question in message.questions:
        _write_name(out, question.name, seen)
        out += _PAIR.pack(question.rtype, question.rclass)
    for section in sections:
        for record in section:
            _write_record(out, record, seen)
            if len(out) + len(tail) > limit:
                return bytes(out), False
    out += tail
    return bytes(out), len(out) <= limit


def _write_record(out: bytearray, record: Record, seen: dict[bytes, int]) -> None:
    _write_name(out, record.name, seen)
    out += _FIXED.pack(record.rtype, record.rclass, record.ttl, 0)
    start = len(out)
    if record.rtype in COMPRESSIBLE and record.rdata:
        skip, _, names = NAME_FIELDS[record.rtype]
        out += record.rdata[:skip]
        at = skip
        for _ in range(names):
            begin = at
            while length := record.rdata[at]:
                at += length + 1
            at += 1
            _write_name(out, record.rdata[begin:at], seen)
        out += record.rdata[at:]
    else:
        out += record.rdata
    struct.pack_into("!H", out, start - 2, len(out) - start)


def _write_name(out: bytearray, name: bytes, seen: dict[bytes, int]) -> None:
    while name != b"\0":
        known = seen.get(name)
        if known is not None:
            out += struct.pack("!H", 0xC000 | known)
            return
        if len(out) < 0x4000:
            seen[name] = len(out)
        length = name[0] + 1
        out += name[:length]
        name = name[length:]
    out += b"\0"


def _opt(edns: Edns, rcode: int) -> bytes:
    rdata = b"".join(_PAIR.pack(code, len(data)) + data for code, data in edns.options)
    return b"\0" + _FIXED.pack(OPT, edns.size, rcode >> 4 << 24 | edns.version << 16 | edns.flags, len(rdata)) + rdata


def records(rrset_list: Iterable[RRset]) -> tuple[Record, ...]:
    """RRsets as records for a section."""
    return tuple(Record(each.name, each.rtype, IN, each.ttl, rdata) for each in rrset_list for rdata in each.rdatas)
