"""These RRsets of this zone at this place become those."""

from dataclasses import dataclass

from legatum.core.moves.effects.effect import Effect
from legatum.core.moves.place import RRsetKey
from legatum.core.moves.timeline import Timeline
from legatum.core.records.name import Name, is_under
from legatum.core.records.rrset import RRset
from legatum.core.records.rrtype import NS, SOA
from legatum.core.records.soa import parse_soa, serial_is_newer


@dataclass(frozen=True, slots=True)
class RRsetChange:
    """Of one RRset; None where there is none."""

    before: RRset | None
    after: RRset | None

    @property
    def key(self) -> RRsetKey:
        one = self.after or self.before
        assert one is not None
        return one.name, one.rtype

    def reverse(self) -> "RRsetChange":
        return RRsetChange(self.after, self.before)


@dataclass(frozen=True, slots=True)
class Records(Effect):
    """``follows``: places that take their copy of the zone from this one."""

    place: str
    zone: Name
    changed: tuple[RRsetChange, ...]
    follows: tuple[str, ...] = ()

    def play(self, timeline: Timeline, first: float, everywhere: float, step: str) -> None:
        for place in (self.place, *(each for each in self.follows if self._is_taken(timeline, each))):
            for each in self.changed:
                timeline.set_rrset(place, self.zone, each.key, each.after, first, everywhere, step)

    def _is_taken(self, timeline: Timeline, follower: str) -> bool:
        """A secondary takes no zone whose serial is not newer than its own, by RFC 1982 s3.2."""
        soa = self.of((self.zone, SOA))
        held = timeline.rrset(follower, self.zone, self.zone, SOA)
        if soa is None or soa.after is None or held is None:
            return True
        theirs, ours = (parse_soa(each.rdatas[0]).serial for each in (held, soa.after))
        return theirs == ours or serial_is_newer(ours, theirs)

    def reverse(self) -> "Records":
        return Records(self.place, self.zone, tuple(each.reverse() for each in self.changed), self.follows)

    @property
    def felt(self) -> bool:
        """Other data, not another TTL or serial alone."""
        return any(
            each.before is None
            or each.after is None
            or (each.key[1] != SOA and each.before.rdatas != each.after.rdatas)
            for each in self.changed
        )

    def of(self, key: RRsetKey) -> RRsetChange | None:
        return next((each for each in self.changed if each.key == key), None)

    @property
    def apex_ns(self) -> RRsetChange | None:
        """What becomes of the NS set at the zone's apex."""
        return self.of((self.zone, NS))

    @property
    def cut(self) -> Name | None:
        """The name at which the zone is cut, or was."""
        return next((each.key[0] for each in self.changed if each.key[1] == NS and each.key[0] != self.zone), None)

    def hides(self, name: Name) -> bool:
        """Whether the name lies at or below the cut."""
        return self.cut is not None and is_under(name, self.cut)
