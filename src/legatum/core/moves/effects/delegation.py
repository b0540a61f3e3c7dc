"""The NS set at the registrar, and that every server of the parent zone hands it out."""

from dataclasses import dataclass

from legatum.core.moves.effects.effect import Effect
from legatum.core.moves.effects.hosts import HostSet
from legatum.core.moves.place import PARENT
from legatum.core.moves.timeline import Timeline
from legatum.core.records.name import Name
from legatum.core.records.rrset import RRset, rrset
from legatum.core.records.rrtype import NS


@dataclass(frozen=True, slots=True)
class Delegated(Effect):
    """``ttl``: with which the parent hands the NS set out; ``glue``: addresses that it gives along for the new set."""

    registrar: str
    domain: Name
    parent_zone: Name
    before: tuple[Name, ...]
    after: tuple[Name, ...]
    ttl: int
    glue: tuple[RRset, ...] = ()
    felt = True
    shown_later = True

    def play(self, timeline: Timeline, first: float, everywhere: float, step: str) -> None:
        ns = rrset(self.domain, NS, self.ttl, self.after) if self.after else None
        timeline.set_rrset(PARENT, self.parent_zone, (self.domain, NS), ns, first, everywhere, step)
        for each in self.glue:
            if timeline.rrset(PARENT, self.parent_zone, each.name, each.rtype) is None:
                timeline.set_rrset(PARENT, self.parent_zone, (each.name, each.rtype), each, first, first, step)

    def reverse(self) -> "Delegated":
        return Delegated(self.registrar, self.domain, self.parent_zone, self.after, self.before, self.ttl)


@dataclass(frozen=True, slots=True)
class Published(Effect):
    """A look at every server of the parent zone: from here on what the registrar was told is true of all of them."""

    domain: Name
    after: tuple[Name, ...]
    hosts: tuple[Name, ...] = ()
    changes = False

    def concerns(self, effect: Effect) -> bool:
        if isinstance(effect, Delegated):
            return effect.domain == self.domain and effect.after == self.after
        return isinstance(effect, HostSet) and effect.host in self.hosts
