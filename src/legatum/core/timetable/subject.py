"""What visitors are led by: an RRset, or the answer that there is none, with the TTL that each server gives it with."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum

from legatum.core.calendar.timing import Caution
from legatum.core.memory.copies import HeldCopy
from legatum.core.records.name import Name, name_text
from legatum.core.records.rrtype import type_text


class Role(StrEnum):
    """In what way it leads."""

    DELEGATION = "NS set at the parent"
    GLUE = "glue"
    NS = "NS set in the zone"
    HOST = "name server's address"
    DATA = "data"
    DS = "DS set at the parent"
    KEYS = "keys"
    SOA = "SOA record"
    ABSENCE = "“no such name”"


AT_PARENT = (Role.DELEGATION, Role.GLUE, Role.DS)
"""What the registry publishes, with a TTL that it sets."""
_RULES = {
    Role.DELEGATION: 4,
    Role.NS: 4,
    Role.GLUE: 10,
    Role.HOST: 10,
    Role.DATA: 2,
    Role.DS: 7,
    Role.KEYS: 9,
    Role.SOA: 2,
    Role.ABSENCE: 3,
}


@dataclass(frozen=True, slots=True)
class Subject:
    """``ttls``: server address → TTL in seconds; ``silent``: who was asked in vain; ``holder``: who gives it, in words;
    ``ours``: its TTL is set in the domain's own zone. ``about``: what is meant where name and type do not say it;
    ``held``: what was given of it otherwise, or with a longer TTL, and somebody may hold still."""

    role: Role
    name: Name
    rtype: int
    ttls: Mapping[str, int]
    holder: str
    ours: bool = False
    silent: tuple[str, ...] = ()
    about: str = ""
    rule: int = field(default=0)
    held: tuple[HeldCopy, ...] = ()

    @property
    def ttl(self) -> int:
        """The largest: what is kept longest counts."""
        return max(self.ttls.values())

    def held_longest(self, caution: Caution) -> HeldCopy | None:
        """What is remembered of it that goes last."""
        return max(self.held, key=lambda each: each.until(caution), default=None)

    @property
    def server(self) -> str:
        """One that gives it."""
        return max(self.ttls, key=lambda each: (self.ttls[each], each))

    @property
    def others(self) -> bool:
        """It is of somebody else's zone, and changes when its owner changes it."""
        return self.role == Role.HOST and not self.ours

    @property
    def differs(self) -> bool:
        return len(set(self.ttls.values())) > 1

    @property
    def by_rule(self) -> int:
        return self.rule or _RULES[self.role]

    @property
    def text(self) -> str:
        """Name and type, or what it is instead."""
        if self.about:
            return self.about
        if self.role == Role.ABSENCE:
            return f"{self.role} in {name_text(self.name)}"
        where = " at the parent" if self.role in AT_PARENT else ""
        return f"{name_text(self.name)} {type_text(self.rtype)}{where}"
