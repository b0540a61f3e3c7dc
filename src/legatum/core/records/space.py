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


_NOWHERE = (
    "0.0.0.0/8", "192.0.2.0/24", "198.18.0.0/15", "198.51.100.0/24", "203.0.113.0/24", "224.0.0.0/4", "240.0.0.0/4",
    "::/128", "100::/64", "2001:db8::/32", "3fff::/20", "ff00::/8",
)  # fmt: skip


@lru_cache(maxsize=4096)
def leads_nowhere(address: str, home: tuple[str, ...] = ()) -> bool:
    """In a range at which no service stands: documentation, benchmarking, multicast, reserved. Private ones are somebody's own.
    ``home``: ranges in which they do here."""
    place = ip_address(address)
    here = any(place.version == network.version and place in network for network in _networks(home))
    return not here and any(place.version == network.version and place in network for network in _networks(_NOWHERE))
