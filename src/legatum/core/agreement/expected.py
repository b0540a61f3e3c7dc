"""What should be: the NS set, DS, serial and records that everybody concerned should give."""

import re
from collections.abc import Iterable
from dataclasses import dataclass

from legatum.core.dnssec import policy
from legatum.core.dnssec.key import parse_ds
from legatum.core.records.name import Name, typed_name
from legatum.core.records.presentation import typed_rdata
from legatum.core.records.rrset import RRset, rrset
from legatum.core.records.rrtype import parse_type
from legatum.core.running.fault import BadInput


@dataclass(frozen=True, slots=True)
class Expected:
    """None where nothing is expected of that kind. ``ds``: data of DS records, empty for none; ``serial``: this one or
    a newer.

    ``since``: when the change was made, in seconds since 1970; ``publishing``: seconds that the registry needs to
    publish it; ``own_ns``: what the zone itself names, where that is another set than the parent's.
    """

    ns: tuple[Name, ...] | None = None
    ds: tuple[bytes, ...] | None = None
    serial: int | None = None
    records: tuple[RRset, ...] = ()
    since: float | None = None
    publishing: float = 0.0
    own_ns: tuple[Name, ...] | None = None


def parse_ds_text(text: str) -> bytes:
    """``TAG ALGORITHM DIGEST-TYPE DIGEST``, as forms show it; a leading ``DS`` and spaces in the digest do no harm.

    Raises :class:`BadInput`.
    """
    words = text.split()
    if words and words[0].upper() == "DS":
        words = words[1:]
    try:
        if len(words) < 4:
            raise ValueError
        tag, algorithm, digest_type = (int(word) for word in words[:3])
        rdata = tag.to_bytes(2) + bytes((algorithm, digest_type)) + bytes.fromhex("".join(words[3:]))
    except (ValueError, OverflowError):
        raise BadInput(
            f"'{text}' is no DS", "write key tag, algorithm, digest type and digest: 12345 13 2 49FD…"
        ) from None
    parsed, kind = parse_ds(rdata), policy.digest_type(digest_type)
    if parsed is None or (kind.octets and len(parsed.digest) != kind.octets):
        raise BadInput(
            f"'{text}': the digest has {len(rdata) - 4} octets, {kind.name} has {kind.octets}", "copy it whole"
        )
    return rdata


def parse_records(texts: Iterable[str], domain: Name) -> tuple[RRset, ...]:
    """``NAME TYPE DATA`` each; names by :func:`~legatum.core.records.name.typed_name`. Several of one name and type are
    one RRset.

    Raises :class:`BadInput`.
    """
    found: dict[tuple[Name, int], list[bytes]] = {}
    for text in texts:
        match = re.match(r"\s*(\S+)\s+(\S+)\s+(.+?)\s*$", text, re.DOTALL)
        if match is None:
            raise BadInput(f"'{text}' is no record", "write NAME TYPE DATA, such as: www A 198.51.100.80")
        rtype = parse_type(match[2])
        found.setdefault((typed_name(match[1], domain), rtype), []).append(typed_rdata(rtype, match[3], domain))
    return tuple(rrset(name, rtype, 0, rdatas) for (name, rtype), rdatas in found.items())
