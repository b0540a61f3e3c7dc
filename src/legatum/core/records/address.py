"""Addresses as text. The same few occur again and again in a list of domains: they are kept."""

import ipaddress
from functools import lru_cache


@lru_cache(maxsize=4096)
def address_text(rdata: bytes) -> str:
    """A or AAAA data as an address."""
    return str(ipaddress.ip_address(rdata))


def address_rdata(text: str) -> bytes:
    """The A or AAAA data of an address. Raises ``ValueError``."""
    return ipaddress.ip_address(text).packed
