"""SOA data and serial arithmetic (RFC 1035 s3.3.13, RFC 1982)."""

import struct
import time
from functools import lru_cache
from typing import NamedTuple

from legatum.core.records.name import ROOT, Name, labels_of, name_text
from legatum.core.records.rrset import RRset, names_in
from legatum.core.records.rrtype import SOA as SOA_TYPE

_MODULUS = 1 << 32
_HALF = 1 << 31


class SoaFields(NamedTuple):
    """The fields of an SOA record; timers in seconds."""

    primary: Name
    mailbox: Name
    serial: int
    refresh: int
    retry: int
    expire: int
    minimum: int

    def rdata(self) -> bytes:
        return self.primary + self.mailbox + struct.pack("!5I", *self[2:])


@lru_cache(maxsize=1024)
def parse_soa(rdata: bytes) -> SoaFields:
    """The fields of canonical SOA data. Raises ``ValueError`` when cut off."""
    try:
        primary, mailbox = names_in(SOA_TYPE, rdata)
        return SoaFields(primary, mailbox, *struct.unpack("!5I", rdata[len(primary) + len(mailbox) :]))
    except (IndexError, struct.error) as error:
        raise ValueError("SOA data cut off") from error


def mail_address(mailbox: Name) -> str:
    """The mailbox as a person writes it (RFC 1035 s3.3.13, RFC 1912 s2.2): its first label in front of an at-sign.
    Where somebody wrote an at-sign into the name itself, as it was written."""
    labels = labels_of(mailbox)
    if mailbox == ROOT or len(labels) < 2:
        return name_text(mailbox)
    shown = [
        name_text(Name(bytes((len(label),)) + label + b"\0")).replace("\\064", "@").replace("\\046", ".")
        for label in labels
    ]
    return ".".join(shown) if any("@" in each for each in shown) else f"{shown[0]}@{'.'.join(shown[1:])}"


def mailbox_text(address: str) -> str:
    """A mail address as it belongs into an SOA record: a dot for the at-sign, dots before it escaped."""
    local, _, domain = address.partition("@")
    return local.replace(".", "\\.") + f".{domain}."


def alike(one: RRset | None, other: RRset | None, *, primary: bool = True) -> bool:
    """Equal data and TTL; of an SOA record everything but the serial, which goes on with every edit, and with
    ``primary`` false but the primary's name too, which a provider may write itself."""
    if one is None or other is None or one.rtype != SOA_TYPE:
        return one == other
    return one.ttl == other.ttl and _steady(one, primary) == _steady(other, primary)


def _steady(soa: RRset, primary: bool) -> SoaFields:
    fields = parse_soa(soa.rdatas[0])._replace(serial=0)
    return fields if primary else fields._replace(primary=ROOT)


def negative_ttl(soa: RRset) -> int:
    """How long a cache keeps “no such name”: the lesser of the record's TTL and its MINIMUM (RFC 2308 s5)."""
    return min(soa.ttl, parse_soa(soa.rdatas[0]).minimum)


def serial_is_newer(candidate: int, current: int) -> bool:
    """Whether a secondary at ``current`` takes ``candidate`` (RFC 1982 s3.2)."""
    return 0 < (candidate - current) % _MODULUS < _HALF


def next_serial(current: int) -> int:
    """The serial after ``current``; never 0, which some software reads as *not set*."""
    return (current + 1) % _MODULUS or 1


def serial_by_rule(rule: str, current: int, now: float) -> int:
    """The next serial by the house's rule, always newer than ``current``: ``counter`` adds one; ``date`` is YYYYMMDDnn
    in UTC, ``seconds`` those since 1970 (``now``). Where ``current`` is ahead of the rule already, one is added (RFC
    1912 s2.2)."""
    if rule == "date":
        year, month, day = time.gmtime(now)[:3]
        floor = ((year * 100 + month) * 100 + day) * 100
    else:
        floor = int(now) if rule == "seconds" else 0
    return serial_at_least(current, floor)


def serial_path(current: int, target: int) -> tuple[int, ...]:
    """The serials to publish one after another, each on all servers before the next, to come from ``current`` to
    ``target`` even where that is lower: never more than half round at a time (RFC 1982 s3.2, s5.1). Empty where they
    are equal."""
    steps, at = list[int](), current
    while at != target:
        farthest = (at + _HALF - 1) % _MODULUS or _MODULUS - 1  # never 0, which some software reads as *not set*
        at = target if serial_is_newer(target, at) else farthest
        steps.append(at)
    return tuple(steps)


def serial_at_least(current: int, floor: int) -> int:
    """The smallest serial that is newer than ``current`` and not older than ``floor``, where both can be had."""
    following = next_serial(current)
    return floor if floor and serial_is_newer(floor, current) and serial_is_newer(floor, following) else following
