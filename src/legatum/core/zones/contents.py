"""A zone's contents together with where they come from."""

from dataclasses import dataclass, replace

from legatum.core.records.rrtype import NS, SOA
from legatum.core.zones.completeness import Completeness
from legatum.core.zones.pasted.reading import Pasted
from legatum.core.zones.zone import Zone, fresh_zone

SERVER = "server:"  # before an address, where a place is given


@dataclass(frozen=True)
class Contents:
    """A zone and how it was got: ``source`` names the place, ``way`` the means; ``pasted``: the table that it was
    understood from."""

    zone: Zone
    source: str
    way: str
    completeness: Completeness
    pasted: Pasted | None = None

    @property
    def made_up(self) -> tuple[int, ...]:
        """Types at the apex that the table did not have: forms show neither."""
        if self.pasted is None:
            return ()
        given = {(each.name, each.rtype) for each in self.pasted.rrsets}
        return tuple(rtype for rtype in (SOA, NS) if (self.zone.origin, rtype) not in given)

    def completed(self, other: Zone) -> "Contents":
        """With what the table did not have as another copy of the zone has it."""
        sets = [each for rtype in self.made_up if (each := other.get(other.origin, rtype)) is not None]
        return replace(self, zone=self.zone.with_rrsets(sets)) if sets else self


def zone_of_pasted(pasted: Pasted) -> Zone:
    """With an SOA and an NS set that stand for what every zone has, where the table has none."""
    blank = fresh_zone(pasted.domain, (pasted.domain,))
    return blank.with_rrsets(pasted.rrsets)
