"""Which addresses everybody can reach (the special-purpose registries of RFC 6890)."""

from collections.abc import Iterable
from ipaddress import ip_address, ip_network


def is_public(address: str, home: Iterable[str] = ()) -> bool:
    """Not private, loopback, documentation, multicast or otherwise special. ``home``: ranges that count as public all the same."""
    place = ip_address(address)
    if any(place.version == (network := ip_network(each, strict=False)).version and place in network for each in home):
        return True
    return place.is_global and not place.is_multicast
