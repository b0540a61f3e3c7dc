"""The progress of a change: who has it, who not yet and until when, and how many should by rule 14 of
docs/timing.md."""

from dataclasses import dataclass, field
from enum import StrEnum

from legatum.core.memory.copies import HeldCopy
from legatum.core.records.name import Name
from legatum.core.records.rrset import RRset

_MOST_LOOKS = 2000


class State(StrEnum):
    """What one party gives."""

    NEW = "new"
    OLD = "old"
    NOTHING = "nothing"


@dataclass(frozen=True, slots=True)
class WatchedChange:
    """What is followed: an RRset that is to become ``wanted``. For a delegation the parent's servers are parties
    too."""

    name: Name
    rtype: int
    wanted: tuple[bytes, ...]
    delegation: bool


@dataclass(frozen=True, slots=True)
class Told:
    """What one party gave when asked. ``party``: parent, child or resolver; ``ttl``: what is left of a resolver's copy,
    else in force."""

    party: str
    who: str
    state: State
    said: str
    ttl: int | None


def told(change: WatchedChange, party: str, who: str, rrset: RRset | None, outcome: str, said: str) -> Told:
    """Judges one answer."""
    state = State.NOTHING if rrset is None else State.NEW if rrset.rdatas == change.wanted else State.OLD
    return Told(party, who, state, said if rrset else outcome, rrset.ttl if rrset else None)


@dataclass(frozen=True, slots=True)
class Look:
    """All parties at one instant (seconds since 1970)."""

    at: float
    told: tuple[Told, ...]

    def share(self, *parties: str) -> float | None:
        """How many of these parties have the change, 0…1; None for none of them."""
        some = [each for each in self.told if each.party in parties]
        return sum(each.state == State.NEW for each in some) / len(some) if some else None

    @property
    def servers(self) -> float | None:
        return self.share("parent", "child")

    @property
    def resolvers(self) -> float | None:
        return self.share("resolver")

    @property
    def complete(self) -> bool:
        return bool(self.told) and all(each.state == State.NEW for each in self.told)

    @property
    def waiting(self) -> tuple[Told, ...]:
        return tuple(each for each in self.told if each.state != State.NEW)


@dataclass
class ChangeProgress:
    """Looks in order of time. ``rate``: questions a second that a typical cache has to answer, for the forecast.

    ``since``: when the change was made, where that is known; ``held``: what is remembered of other data than the wanted
    ones; ``count``: looks taken in, of which the many that say the same are not all kept.
    """

    change: WatchedChange
    rate: float
    since: float | None = None
    held: tuple[HeldCopy, ...] = ()
    looks: list[Look] = field(default_factory=list)
    count: int = 0
    _served: int | None = None
    _left: int = 0
    _fresh: int = 0

    def add(self, look: Look) -> tuple[Told, ...]:
        """Takes a look in; who says something else than the time before."""
        before = {(each.party, each.who): (each.state, each.said) for each in self.looks[-1].told} if self.looks else {}
        self.looks.append(look)
        self.count += 1
        self._take_ttls(look)
        if len(self.looks) > _MOST_LOOKS:
            self._thin()
        return tuple(each for each in look.told if before.get((each.party, each.who)) != (each.state, each.said))

    def _take_ttls(self, look: Look) -> None:
        for each in look.told:
            if each.ttl is None:
                continue
            if each.state == State.OLD:
                self._left = max(self._left, each.ttl)
                if each.party != "resolver":
                    self._served = max(self._served or 0, each.ttl)
            elif each.party != "resolver":
                self._fresh = max(self._fresh, each.ttl)

    def _thin(self) -> None:
        """Of looks that say the same as the one before and the one after every second goes; where all differ, of all of
        them."""
        says = [tuple((each.party, each.who, each.state, each.said) for each in look.told) for look in self.looks]
        last = len(says) - 1
        kept = [
            at
            for at in range(last + 1)
            if at in (0, last) or at % 2 == 0 or says[at - 1] != says[at] or says[at] != says[at + 1]
        ]
        if len(kept) > _MOST_LOOKS * 3 // 4:
            kept = [at for at in range(last + 1) if at in (0, last) or at % 2 == 0]
        self.looks = [self.looks[at] for at in kept]

    @property
    def old_ttl(self) -> int:
        """The longest TTL with which the old data were handed out, in seconds: that remembered, or seen of a server.
        Where neither is, because the change was there already: the larger of what is left of copies and the TTL with
        which the servers give the new data, as a copy shows only what is left of it."""
        known = [each for each in (self._served, *(each.ttl for each in self.held)) if each is not None]
        return max(known) if known else max(self._left, self._fresh)

    @property
    def remembers(self) -> bool:
        """What was given before is known; else the TTL of the new data stands for it."""
        return self._served is not None or bool(self.held)

    @property
    def begins(self) -> float | None:
        """From when on nobody takes the old data any more: when the last server had changed, or the moment given."""
        if self.since is not None:
            return self.since
        for number, look in enumerate(self.looks):
            if look.servers == 1.0 and all(each.servers == 1.0 for each in self.looks[number:]):
                gone = [each.given_until for each in self.held if each.ended]
                return max(gone) if number == 0 and gone else look.at
        return None

    def forecast(self, at: float) -> float | None:
        """The share of caches that should have the change at ``at``: 1 − λT/(1+λT)·(1 − t/T) (rule 14); None before it
        is made."""
        begins, over = self.begins, self.over_at
        if begins is None or over is None or at < begins:
            return None
        return share_on_new(at - begins, over - begins, self.rate)

    @property
    def over_at(self) -> float | None:
        """When the last cache that keeps to the TTLs has the change: each of the sets that were given before runs out
        by itself."""
        if self.begins is None:
            return None
        ended = [each.given_until + each.ttl for each in self.held if each.ended]
        current = [
            each for each in (self._served, *(each.ttl for each in self.held if not each.ended)) if each is not None
        ]
        if current or not ended:
            ended.append(self.begins + (max(current) if current else self.old_ttl))
        return max(ended)

    def next_look(self, poll: float) -> float:
        """Seconds until something can have changed: soon while servers differ, else when copies run out, at most ten
        minutes."""
        last = self.looks[-1]
        if last.complete and self.over_at is not None:
            return max(poll, min(self.over_at - last.at, 600.0))
        if last.servers not in (None, 1.0):
            return poll
        left = [each.ttl for each in last.waiting if each.ttl is not None]
        return max(poll, min(min(left) / 10, 600.0)) if left and len(left) == len(last.waiting) else poll


def share_on_new(age: float, ttl: float, rate: float) -> float:
    """The share of caches on the new data ``age`` seconds after the change (rule 14). Caches that held nothing have it
    at once."""
    if ttl <= 0 or age >= ttl:
        return 1.0
    held = rate * ttl / (1 + rate * ttl)
    return 1 - held * (1 - age / ttl)
