"""Which addresses everybody can reach (the special-purpose registries of RFC 6890)."""

from functools import lru_cache
from ipaddress import IPv4Network, IPv6Network, ip_address, ip_network


@lru_cache(maxsize=4096)
def network_of(address: str) -> str:
    """The network that an address shares its fate with: /24 for IPv4, /48 for IPv6."""
    return str(ip_network(f"{address}/{24 if ':' not in address else 48}", strict=False))


@lru_cache(maxsize=64)
def _networks(texts: tuple[str, ...]) -> tuple[IPv4Network | IPv6Network, ...]:
    return tuple(ip_network(each, strict=False) for each in texts)


@lru_cache(maxsize=4096)
def is_public(address: str, home: tuple[str, ...] = ()) -> bool:
    """Not private, loopback, documentation, multicast or otherwise special. ``home``: ranges that count as public all the same."""
    place = ip_address(address)
    if any(place.version == network.version and place in network for network in _networks(home)):
        return True
    return place.is_global and not place.is_multicast
