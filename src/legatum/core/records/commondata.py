"""The data of the common record types between text and wire, without the general library: most of a big zone is these.

``READERS`` and ``WRITERS`` hold one function a type. What a reader cannot read plainly - escapes, generic notation,
mistakes - it gives up on, and the general library takes over; so the two must agree wherever both can read
(tests/core/records/test_commondata.py).
"""

import re
import struct
from collections.abc import Callable
from functools import lru_cache
from typing import Any

from legatum.core.records.name import MAX_NAME, Name, absolute_text, parse_name
from legatum.core.records.rrtype import AAAA, ALIAS, CAA, CNAME, DNAME, DS, MX, NS, PTR, SOA, SRV, TXT, A
from legatum.core.running.fault import BadInput

_SIMPLE = re.compile(r"[A-Za-z0-9_*/-]{1,63}+(?:\.[A-Za-z0-9_*/-]{1,63}+)*+\.?").fullmatch
_GROUP = re.compile("[0-9A-Fa-f]{1,4}").fullmatch
_STRING = re.compile(r'"([^"\\]*)"[ \t]*|([^\s"\\;()]+)[ \t]*')
_LENGTH = [chr(length) for length in range(64)]
_LENGTHS = [bytes((length,)) for length in range(256)]
_OCTET = {str(value): value for value in range(256)}
_octet = _OCTET.__getitem__
_MOST_KEPT = 100_000
_DIGESTS = {"1": 20, "2": 32, "4": 48}  # octets, by type
_ALONE = ("@", ".")  # behind a label they mean something else
_QUOTED = {octet: chr(octet) if 32 <= octet < 127 else f"\\{octet:03d}" for octet in range(256)} | {
    34: '\\"',
    92: "\\\\",
}
_PLAIN = bytes(octet for octet, text in _QUOTED.items() if len(text) == 1)


class Names(dict[str, Name]):
    """Names as a master file writes them, relative to ``origin``; each spelling is read once. Raises :class:`BadInput`
    for what is none."""

    def __init__(self, origin: Name) -> None:
        self.origin = origin

    def __missing__(self, text: str) -> Name:
        """As :func:`parse_name` reads it; quickly where it is a plain label before a name that is known, as most
        are."""
        name: Any  # to call Name would cost as much as making it
        label, dot, rest = text.partition(".")
        tail = (self.get(rest) or (self[rest] if _SIMPLE(rest) else None)) if dot else self.origin
        if (
            tail is not None
            and len(label) < 64
            and label.replace("-", "").replace("_", "").isalnum()
            and label.isascii()
        ):
            name = (_LENGTH[len(label)] + label).lower().encode() + tail
            if len(name) > MAX_NAME:
                raise BadInput(f"'{text[:40]}'… is no domain name: longer than {MAX_NAME} octets")
        else:
            name = parse_name(text, self.origin)
        if len(self) >= _MOST_KEPT:
            self.clear()
        if text not in _ALONE:
            self[text] = name
        found: Name = name
        return found


Reader = Callable[[str, Names], bytes]
"""Text of one record's data and the names' reader → wire bytes.

Raises ``ValueError``, ``LookupError`` or :class:`BadInput`."""


def _read_a(text: str, names: Names) -> bytes:
    octets = bytes(map(_octet, text.split(".")))
    if len(octets) != 4:
        raise ValueError(text)
    return octets


def _read_aaaa(text: str, names: Names) -> bytes:
    head, gap, tail = text.partition("::")
    left = head.split(":") if head else []
    right = tail.split(":") if tail else []
    missing = 8 - len(left) - len(right)
    if missing < 1 if gap else missing:
        raise ValueError(text)
    return b"".join([*map(_group, left), bytes(2 * missing), *map(_group, right)])


@lru_cache(maxsize=65536)
def _group(text: str) -> bytes:
    """Two octets. Raises ``ValueError``."""
    if not _GROUP(text):
        raise ValueError(text)
    return int(text, 16).to_bytes(2)


def _read_name(text: str, names: Names) -> bytes:
    if " " in text or "\t" in text:
        raise ValueError(text)
    return names[text]


def _read_mx(text: str, names: Names) -> bytes:
    preference, host = text.split()
    return _number(preference) + names[host]


def _read_srv(text: str, names: Names) -> bytes:
    priority, weight, port, host = text.split()
    return _number(priority) + _number(weight) + _number(port) + names[host]


def _read_txt(text: str, names: Names) -> bytes:
    return _txt(text)


@lru_cache(maxsize=16384)
def _txt(text: str) -> bytes:
    """The same few policies and verifications stand in a zone again and again."""
    if text.count('"') == 2 and text[0] == text[-1] == '"' and len(text) < 200 and "\\" not in text:
        raw = text[1:-1].encode()
        return _LENGTHS[len(raw)] + raw
    strings, at = [], 0
    while at < len(text):
        found = _STRING.match(text, at)
        if found is None:
            raise ValueError(text)
        strings.append((found[1] if found[1] is not None else found[2]).encode())
        at = found.end()
    if not strings or max(map(len, strings)) > 255:
        raise ValueError(text)
    return b"".join([bytes((len(each),)) + each for each in strings])


def _read_caa(text: str, names: Names) -> bytes:
    return _caa(text)


@lru_cache(maxsize=4096)
def _caa(text: str) -> bytes:
    flags, tag, value = text.split(None, 2)
    if (
        len(value) < 2
        or value[0] != '"'
        or value[-1] != '"'
        or '"' in value[1:-1]
        or "\\" in value
        or not tag.isalnum()
        or not tag.isascii()
    ):
        raise ValueError(text)
    return bytes((_OCTET[flags], len(tag))) + tag.encode() + value[1:-1].encode("ascii")


def _read_soa(text: str, names: Names) -> bytes:
    primary, mailbox, *numbers = text.split()
    if len(numbers) != 5 or not all(each.isdecimal() for each in numbers):
        raise ValueError(text)
    try:
        return names[primary] + names[mailbox] + struct.pack("!5I", *map(int, numbers))
    except struct.error as error:
        raise ValueError(text) from error


def _read_ds(text: str, names: Names) -> bytes:
    """With a digest of a type, and a length, that is known; the general library judges others."""
    tag, algorithm, digest_type, *parts = text.split()
    digest = bytes.fromhex("".join(parts))
    if not (tag.isdecimal() and tag.isascii() and int(tag) < 65536) or _DIGESTS.get(digest_type) != len(digest):
        raise ValueError(text)
    return int(tag).to_bytes(2) + bytes((_octet(algorithm), _octet(digest_type))) + digest


@lru_cache(maxsize=4096)
def _number(text: str) -> bytes:
    """Two octets. Raises ``ValueError``."""
    if not text.isdecimal() or (value := int(text)) > 65535:
        raise ValueError(text)
    return value.to_bytes(2)


READERS: dict[int, Reader] = {
    A: _read_a,
    AAAA: _read_aaaa,
    NS: _read_name,
    CNAME: _read_name,
    PTR: _read_name,
    DNAME: _read_name,
    MX: _read_mx,
    SRV: _read_srv,
    TXT: _read_txt,
    CAA: _read_caa,
    SOA: _read_soa,
    ALIAS: _read_name,
    DS: _read_ds,
}

EXPECTED: dict[int, str] = {
    A: "one IPv4 address, such as 192.0.2.1",
    AAAA: "one IPv6 address, such as 2001:db8::1",
    NS: "the name of a name server",
    CNAME: "one name",
    PTR: "one name",
    DNAME: "one name",
    MX: "a preference and a host, such as 10 mail",
    SRV: "priority, weight, port and host, such as 0 5 5060 sip",
    TXT: "text in quotation marks, each piece at most 255 octets",
    CAA: 'flags, tag and value, such as 0 issue "authority.test"',
    SOA: "primary name, mailbox name, serial, refresh, retry, expire, minimum",
}
"""What should have stood there, for people."""


def _write_a(rdata: bytes) -> str:
    first, second, third, fourth = rdata
    return f"{first}.{second}.{third}.{fourth}"


def _write_aaaa(rdata: bytes) -> str:
    """RFC 5952: the first longest run of zeros, of two at least, is left out."""
    groups = struct.unpack("!8H", rdata)
    if groups[:5] == (0,) * 5 and groups[5] in (0, 0xFFFF) and (groups[5] or groups[6]):
        raise ValueError(rdata)  # with an IPv4 address inside: not plain
    text = ":".join([f"{each:x}" for each in groups])
    runs = re.findall(r"(?:(?<=:)|^)0(?::0)+(?=:|$)", text)
    if not runs:
        return text
    longest = max(runs, key=len)
    head, _, tail = f":{text}:".partition(f":{longest}:")
    return f"{head.removeprefix(':')}::{tail.removesuffix(':')}"


def _write_name(rdata: bytes) -> str:
    return absolute_text(Name(rdata))


def _write_mx(rdata: bytes) -> str:
    return f"{rdata[0] << 8 | rdata[1]} {absolute_text(Name(rdata[2:]))}"


def _write_srv(rdata: bytes) -> str:
    priority, weight, port = struct.unpack("!3H", rdata[:6])
    return f"{priority} {weight} {port} {absolute_text(Name(rdata[6:]))}"


def _write_ds(rdata: bytes) -> str:
    if _DIGESTS.get(str(rdata[3])) != len(rdata) - 4:
        raise ValueError(rdata)
    return f"{int.from_bytes(rdata[:2], 'big')} {rdata[2]} {rdata[3]} {rdata[4:].hex()}"


def _quoted(octets: bytes) -> str:
    if not octets.translate(None, _PLAIN):
        return f'"{octets.decode()}"'
    return '"' + "".join([_QUOTED[octet] for octet in octets]) + '"'


def _write_txt(rdata: bytes) -> str:
    strings, at = list[str](), 0
    while at < len(rdata):
        end = at + 1 + rdata[at]
        if end > len(rdata):
            raise ValueError(rdata)
        strings.append(_quoted(rdata[at + 1 : end]))
        at = end
    if not strings:
        raise ValueError(rdata)
    return " ".join(strings)


def _write_caa(rdata: bytes) -> str:
    flags, end = rdata[0], 2 + rdata[1]
    tag = rdata[2:end].decode("ascii")
    if not tag.isalnum():
        raise ValueError(rdata)
    return f"{flags} {tag} " + _quoted(rdata[end:])


WRITERS: dict[int, Callable[[bytes], str]] = {
    A: _write_a,
    AAAA: _write_aaaa,
    NS: _write_name,
    CNAME: _write_name,
    PTR: _write_name,
    DNAME: _write_name,
    MX: _write_mx,
    SRV: _write_srv,
    TXT: _write_txt,
    CAA: _write_caa,
    ALIAS: _write_name,
    DS: _write_ds,
}
"""Wire bytes → text. Raises ``ValueError`` or ``LookupError`` for what is not plain."""
