"""Addresses as text."""

import ipaddress


def address_text(rdata: bytes) -> str:
    """A or AAAA data as an address."""
    return str(ipaddress.ip_address(rdata))
