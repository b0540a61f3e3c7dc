"""A name server's addresses at the registry, which the parent hands out as glue."""

from dataclasses import dataclass

from legatum.core.moves.effects.effect import Effect
from legatum.core.moves.place import ADDRESSES, PARENT
from legatum.core.moves.timeline import Timeline
from legatum.core.records.address import address_rdata
from legatum.core.records.name import Name
from legatum.core.records.rrset import RRset, rrset
from legatum.core.records.rrtype import AAAA


def address_sets(host: Name, addresses: tuple[str, ...], ttl: int) -> tuple[RRset, ...]:
    """A and AAAA of these addresses, those that there are."""
    found = []
    for rtype in ADDRESSES:
        data = [address_rdata(each) for each in addresses if (":" in each) == (rtype == AAAA)]
        found += [rrset(host, rtype, ttl, data)] if data else []
    return tuple(found)


@dataclass(frozen=True, slots=True)
class HostSet(Effect):
    """Empty ``before``: the host is made; empty ``after``: it is taken away. ``ttl``: of the glue."""

    registrar: str
    host: Name
    parent_zone: Name
    before: tuple[str, ...]
    after: tuple[str, ...]
    ttl: int
    felt = True

    @property
    def takes_away(self) -> bool:
        return bool(set(self.before) - set(self.after))

    def play(self, timeline: Timeline, first: float, everywhere: float, step: str) -> None:
        sets = {each.rtype: each for each in address_sets(self.host, self.after, self.ttl)}
        for rtype in ADDRESSES:
            timeline.set_rrset(PARENT, self.parent_zone, (self.host, rtype), sets.get(rtype), first, everywhere, step)

    def reverse(self) -> "HostSet":
        return HostSet(self.registrar, self.host, self.parent_zone, self.after, self.before, self.ttl)
