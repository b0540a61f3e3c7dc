"""Addresses as text. The same few occur again and again in a list of domains: they are kept."""

import ipaddress
import struct
from functools import lru_cache

_GROUPS = struct.Struct("!8H").unpack
_MAPPED = bytes(10)  # how these begin: an IPv4 address in an IPv6 one, whose text is the library's affair
_GAPS = [":".join(["0"] * count) for count in range(8, 1, -1)]


@lru_cache(maxsize=4096)
def address_text(rdata: bytes) -> str:
    """A or AAAA data as an address (RFC 5952). Raises ``ValueError``."""
    if len(rdata) == 4:
        return f"{rdata[0]}.{rdata[1]}.{rdata[2]}.{rdata[3]}"
    if len(rdata) != 16 or rdata.startswith(_MAPPED):
        return str(ipaddress.ip_address(rdata))
    text = ":".join(["", *[f"{each:x}" for each in _GROUPS(rdata)], ""])
    if ":0:0:" in text:  # the longest of several groups of nothing is left out, the first of equals
        gap = next(each for each in _GAPS if f":{each}:" in text)
        before, _, after = text.partition(f":{gap}:")
        return f"{before[1:]}::{after[:-1]}"
    return text[1:-1]


def address_rdata(text: str) -> bytes:
    """The A or AAAA data of an address. Raises ``ValueError``."""
    return ipaddress.ip_address(text).packed
