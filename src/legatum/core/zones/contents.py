"""A zone's contents together with where they come from."""

from dataclasses import dataclass

from legatum.core.zones.completeness import Completeness
from legatum.core.zones.zone import Zone

SERVER = "server:"  # before an address, where a place is given


@dataclass(frozen=True)
class Contents:
    """A zone and how it was got: ``source`` names the place, ``way`` the means."""

    zone: Zone
    source: str
    way: str
    completeness: Completeness
