"""What every provider can do, whatever its kind."""

from collections.abc import Sequence
from typing import Protocol

from legatum.core.records.name import Name, parse_name
from legatum.core.zones.zone import Zone
from legatum.services.signing import Signing


class Provider(Protocol):
    """``servers``: the NS names it answers under. ``changes_apex_ns``: whether the NS set at the apex can be changed
    there. ``by_hand``: only a person can change anything, in a form. ``signing``: how that is steered. ``hands_out``:
    it lets the zone be read whole. ``makes_zones``: :meth:`create` can make one; else only a person can."""

    name: str
    servers: tuple[Name, ...]
    changes_apex_ns: bool
    by_hand: bool
    hands_out: bool
    makes_zones: bool
    signing: Signing

    async def fetch(self, domain: Name) -> Zone:
        """The zone's whole contents. Raises :class:`OutsideFault`."""

    async def fetch_since(self, earlier: Zone) -> tuple[Zone, str]:
        """The zone as it is now, from an earlier copy, and how it came: what changed alone where that is open (RFC
        1995)."""

    async def apply(self, zone: Zone, wanted: Zone) -> str:
        """Asks for ``zone`` to become ``wanted``; the caller reads back. In words, how it was made sure that nobody
        else's change is overwritten. Raises :class:`OutsideFault`."""

    async def create(self, domain: Name) -> None:
        """Makes an empty zone. Raises :class:`OutsideFault`."""

    async def end(self, domain: Name) -> bool:
        """Ends the service for a zone; False where only a person can."""


def server_names(servers: Sequence[str]) -> tuple[Name, ...]:
    """The NS names of a provider's settings. Raises :class:`BadInput`."""
    return tuple(sorted(parse_name(server if server.endswith(".") else server + ".") for server in servers))
