"""Which socket address stands for a server address.

Normally a server is where its address says. With a map - the practice world's, or a test bed's - every address stands
for a host and port of the map, and the map is closed: an address that is not in it is unreachable, and nothing is ever
sent to it.
"""

from collections.abc import Mapping
from ipaddress import ip_address
from typing import NamedTuple

_MOST_KNOWN = 10_000


class Unreachable(OSError):
    """The address is not in the closed map."""


class Endpoint(NamedTuple):
    """``source``: the local address to send from, empty for whichever the system takes."""

    host: str
    port: int
    source: str = ""

    @property
    def is_ipv6(self) -> bool:
        return ":" in self.host


class Route:
    """Looks up endpoints. ``mapping`` is address → endpoint for a closed map, or None where addresses are what they
    say.

    A key may be ``ADDRESS#PORT`` for a service of its own on that address, or ``*#PORT`` for one on all addresses.
    """

    def __init__(self, mapping: Mapping[str, Endpoint] | None = None, source: str = "") -> None:
        self._source = source
        self._mapping = None if mapping is None else {_key(each): end for each, end in mapping.items()}
        self._known: dict[tuple[str, int], Endpoint] = {}

    def endpoint(self, address: str, port: int) -> Endpoint:
        """Where to send for ``address``. Raises :class:`Unreachable`."""
        found = self._known.get((address, port))
        if found is None:
            found = self._found(address, port)
            if len(self._known) < _MOST_KNOWN:
                self._known[address, port] = found
        return found

    def _found(self, address: str, port: int) -> Endpoint:
        if self._mapping is None:
            return self._from_source(Endpoint(_canonical(address), port))
        address = _canonical(address)
        found = self._mapping.get(f"{address}#{port}") or self._everywhere(address, port) or self._mapping.get(address)
        if found is None:
            raise Unreachable(f"{address} is not in the address map")
        return self._from_source(found)

    def _everywhere(self, address: str, port: int) -> Endpoint | None:
        """A service on all addresses; hosts by name are themselves."""
        assert self._mapping is not None
        found = self._mapping.get(f"*#{port}")
        return found if found is not None and (":" in address or address.replace(".", "").isdecimal()) else None

    def from_source(self, source: str) -> "Route":
        """The same, from another local address."""
        made = Route(None, source)
        made._mapping = self._mapping
        return made

    def _from_source(self, found: Endpoint) -> Endpoint:
        """The source counts for its own family."""
        return found._replace(source=self._source) if self._source and (":" in self._source) == found.is_ipv6 else found


def _key(text: str) -> str:
    address, hash_, port = text.partition("#")
    return f"{_canonical(address)}{hash_}{port}"


def _canonical(address: str) -> str:
    try:
        return str(ip_address(address))
    except ValueError:
        return address.lower().rstrip(".")
