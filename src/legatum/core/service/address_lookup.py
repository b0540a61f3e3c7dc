"""Where a zone leads its visitors."""

from legatum.core.records.address import address_text
from legatum.core.records.name import Name
from legatum.core.records.rrset import targets
from legatum.core.records.rrtype import AAAA, CNAME, A
from legatum.core.zones.zone import Zone

_LONGEST_CHAIN = 8


def led_to(zone: Zone, name: Name) -> tuple[str, ...] | None:
    """The addresses that a name has in the zone, aliases followed; None where an alias leads out of it, or in a
    circle."""
    for _ in range(_LONGEST_CHAIN):
        alias = zone.get(name, CNAME)
        if alias is None:
            found = [zone.get(name, rtype) for rtype in (A, AAAA)]
            return tuple(address_text(rdata) for each in found if each is not None for rdata in each.rdatas)
        name = targets(alias)[0]
        if not name.endswith(zone.origin):
            return None
    return None
