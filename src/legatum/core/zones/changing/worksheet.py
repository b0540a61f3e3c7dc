"""What there is to type where a zone can only be changed by a person."""

from dataclasses import dataclass

from legatum.core.records.name import Name
from legatum.core.records.rrset import rrset
from legatum.core.records.rrtype import NS
from legatum.core.zones.difference import Difference
from legatum.core.zones.zone import Zone


@dataclass(frozen=True)
class Worksheet:
    """``place``: the provider, ``servers``: its own; ``differences``: what is there now on the left, what should be on
    the right; those that are expected are left alone. ``whole``: the present contents are known whole, so that what is
    to be taken away is known too."""

    place: str
    servers: tuple[Name, ...]
    wanted: Zone
    differences: tuple[Difference, ...]
    whole: bool

    @property
    def importable(self) -> Zone:
        """The zone whole, with the provider's own servers in NS and SOA: for pages that import a master file."""
        zone = self.wanted
        ns = rrset(zone.origin, NS, zone.apex_ns.ttl if zone.apex_ns else zone.soa_rrset.ttl, self.servers)
        return zone.with_rrsets(
            [ns, zone.soa_rrset._replace(rdatas=(zone.soa._replace(primary=self.servers[0]).rdata(),))]
        )

    @property
    def to_do(self) -> tuple[Difference, ...]:
        return tuple(each for each in self.differences if not each.expected)
