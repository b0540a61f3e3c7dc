"""Which addresses everybody can reach (the special-purpose registries of RFC 6890)."""

from collections.abc import Mapping, Sequence
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
    """Not private, loopback, documentation, multicast or otherwise special. ``home``: ranges that count as public all
    the same."""
    return is_public_data(ip_address(address).packed, home)


def is_public_data(rdata: bytes, home: tuple[str, ...] = ()) -> bool:
    """The same of A or AAAA data."""
    width, place = len(rdata) * 8, int.from_bytes(rdata)
    for bits, prefix, public in _ranges(home).get((width, rdata[0]), ()):
        if place >> (width - bits) == prefix:
            return public
    return True


# Not reachable by everybody, by the special-purpose registries of RFC 6890 and what was added since, and multicast; and
# what is, inside of these.
_SPECIAL = (
    "0.0.0.0/8",
    "10.0.0.0/8",
    "100.64.0.0/10",
    "127.0.0.0/8",
    "169.254.0.0/16",
    "172.16.0.0/12",
    "192.0.0.0/24",
    "192.0.2.0/24",
    "192.168.0.0/16",
    "198.18.0.0/15",
    "198.51.100.0/24",
    "203.0.113.0/24",
    "224.0.0.0/4",
    "240.0.0.0/4",
    "::/128",
    "::1/128",
    "::ffff:0:0/96",
    "64:ff9b:1::/48",
    "100::/64",
    "2001::/23",
    "2001:db8::/32",
    "3fff::/20",
    "5f00::/16",
    "fc00::/7",
    "fe80::/9",
    "ff00::/8",
)
_REACHABLE = (
    "192.0.0.9/32",
    "192.0.0.10/32",
    "2001:1::1/128",
    "2001:1::2/128",
    "2001:1::3/128",
    "2001:3::/32",
    "2001:4:112::/48",
    "2001:20::/28",
    "2001:30::/28",
)


@lru_cache(maxsize=64)
def _ranges(home: tuple[str, ...]) -> Mapping[tuple[int, int], Sequence[tuple[int, int, bool]]]:
    """Width of an address and its first octet → ranges with their length, prefix, and whether they are public, those
    that count first."""
    found: dict[tuple[int, int], list[tuple[int, int, bool]]] = {}
    for texts, public in ((home, True), (_REACHABLE, True), (_SPECIAL, False)):
        for network in _networks(texts):
            width, bits = network.max_prefixlen, network.prefixlen
            prefix = int(network.network_address) >> (width - bits)
            first, last = network.network_address.packed[0], network.broadcast_address.packed[0]
            for octet in range(first, last + 1):
                found.setdefault((width, octet), []).append((bits, prefix, public))
    return found


_NOWHERE = (
    "0.0.0.0/8", "192.0.2.0/24", "198.18.0.0/15", "198.51.100.0/24", "203.0.113.0/24", "224.0.0.0/4", "240.0.0.0/4",
    "::/128", "100::/64", "2001:db8::/32", "3fff::/20", "ff00::/8",
)  # fmt: skip


@lru_cache(maxsize=4096)
def leads_nowhere(address: str, home: tuple[str, ...] = ()) -> bool:
    """In a range at which no service stands: documentation, benchmarking, multicast, reserved. Private ones are
    somebody's own. ``home``: ranges in which they do here."""
    place = ip_address(address)
    here = any(place.version == network.version and place in network for network in _networks(home))
    return not here and any(place.version == network.version and place in network for network in _networks(_NOWHERE))
