"""RRsets as canonical wire bytes (RFC 2181 s5, RFC 4034 s6)."""

from collections.abc import Iterable
from typing import NamedTuple

from legatum.core.records.name import Name
from legatum.core.records.rrtype import NAME_FIELDS, type_text

LARGEST_TTL = 2**31 - 1  # RFC 2181 s8


class RRset(NamedTuple):
    """All records of one name and type in class IN.

    ``ttl`` in seconds; ``rdatas`` sorted, without duplicates, names in them uncompressed and in lower case. Two RRsets
    with equal ``rdatas`` say the same, whatever the servers' spelling.
    """

    name: Name
    rtype: int
    ttl: int
    rdatas: tuple[bytes, ...]

    @property
    def type_text(self) -> str:
        return type_text(self.rtype)

    def says_the_same(self, other: "RRset | None") -> bool:
        """Equal data, whatever the TTL."""
        return other is not None and self.rdatas == other.rdatas

    def with_ttl(self, ttl: int) -> "RRset":
        return self._replace(ttl=ttl)


def rrset(name: Name, rtype: int, ttl: int, rdatas: Iterable[bytes]) -> RRset:
    """An RRset in canonical order. The data must be in canonical form already."""
    return RRset(name, rtype, ttl, tuple(sorted(set(rdatas))))


def names_in(rtype: int, rdata: bytes) -> list[Name]:
    """The names that the data of a record holds: the targets of NS, MX, CNAME, SRV and so on."""
    layout = NAME_FIELDS.get(rtype)
    if layout is None:
        return []
    at, strings, count = layout
    for _ in range(strings):
        at += rdata[at] + 1
    found = []
    for _ in range(count):
        start = at
        while length := rdata[at]:
            at += length + 1
        at += 1
        found.append(Name(rdata[start:at]))
    return found


def targets(rrset_: RRset | None) -> tuple[Name, ...]:
    """The first name in each record's data, sorted: the hosts of an NS or MX set. Empty for no set."""
    if rrset_ is None:
        return ()
    if NAME_FIELDS.get(rrset_.rtype) == (0, 0, 1):  # the data are the name, and sorted already
        return tuple(map(Name, rrset_.rdatas))
    return tuple(sorted(names_in(rrset_.rtype, rdata)[0] for rdata in rrset_.rdatas))


def strings_of(rdata: bytes) -> list[bytes]:
    """The character-strings of TXT data."""
    found, at = [], 0
    while at < len(rdata):
        found.append(rdata[at + 1 : at + 1 + rdata[at]])
        at += 1 + rdata[at]
    return found
