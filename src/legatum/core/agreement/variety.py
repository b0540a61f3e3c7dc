"""Answers that differ although nothing is wrong: a changing part of one set, or another set for each network that asks
(RFC 7871).

Servers that give different answers to one question are asked again, often, and on behalf of several networks. From that
follows what sort of difference it is, how sure that is, and whether one of them has data that belong to nobody else.
"""

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from functools import cached_property

from legatum.core.records.name import Name
from legatum.core.records.rrset import RRset
from legatum.core.records.rrtype import RRSIG

Member = tuple[Name, int, bytes]
Answer = frozenset[Member]
SURE = 0.99
ENOUGH, MOST = 8, 40
"""How often a server is asked at least, and at most, where its answers change."""


class Sort(StrEnum):
    """What sort of difference it is."""

    STEADY = "each server gives the same each time"
    BY_CHANCE = "a changing part of one set"
    BY_PLACE = "another answer for each network that asks"
    BOTH = "a changing part of a set that is another one for each network"


@dataclass(frozen=True, slots=True)
class Sample:
    """One answer. ``network``: on whose behalf it was asked, empty for nobody's; ``answer``: its members, empty for no
    data."""

    server: str
    network: str
    answer: Answer


def members(rrsets: Iterable[RRset]) -> Answer:
    """Order and TTLs do not count."""
    return frozenset((each.name, each.rtype, rdata) for each in rrsets if each.rtype != RRSIG for rdata in each.rdatas)


def members_of(samples: Iterable[Sample]) -> Answer:
    """All of them together."""
    return frozenset().union(*(each.answer for each in samples))


@dataclass(frozen=True)
class Variety:
    """All samples of one question."""

    samples: tuple[Sample, ...]
    _by: dict[tuple[str, str], list[Answer]] = field(default_factory=dict, repr=False, compare=False)

    def __post_init__(self) -> None:
        for each in self.samples:
            self._by.setdefault((each.server, each.network), []).append(each.answer)

    @cached_property
    def servers(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys(each.server for each in self.samples))

    @cached_property
    def networks(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys(each.network for each in self.samples))

    @cached_property
    def sort(self) -> Sort:
        chance = any(len(set(given)) > 1 for given in self._by.values())
        pools = {server: {self._pool(server, network) for network in self.networks} - {None} for server in self.servers}
        place = (
            any(len(each) > 1 for each in pools.values())
            if not chance
            else any(_apart(each) for each in pools.values())
        )
        return {(False, False): Sort.STEADY, (True, False): Sort.BY_CHANCE, (False, True): Sort.BY_PLACE}.get(
            (chance, place), Sort.BOTH
        )

    @cached_property
    def sure(self) -> float:
        """How sure it is that every member of every changing set was seen: 1 less the chance that one of them has not
        come yet, as each answer shows about the same share of the set. 1 where nothing changes."""
        least = 1.0
        for given in self._by.values():
            pool = frozenset().union(*given)
            if len(set(given)) > 1 and pool:
                share = sum(map(len, given)) / len(given) / len(pool)
                least = min(least, 1 - len(pool) * (1 - share) ** len(given))
        return max(0.0, least)

    @cached_property
    def behind(self) -> Mapping[str, Answer]:
        """Servers with members that no other server gives to anybody - old data, or new ones -, and which. Where only
        two are asked and each has its own, both are named. Empty where every server is steady: then it is a plain
        difference."""
        if self.sort == Sort.STEADY:
            return {}
        pools = {
            server: frozenset().union(*(self._pool(server, each) or frozenset() for each in self.networks))
            for server in self.servers
        }
        found = {}
        for server, pool in pools.items():
            others = frozenset().union(*(each for other, each in pools.items() if other != server))
            if len(pools) > 1 and (own := pool - others) and self._is_odd(server, pools):
                found[server] = own
        return found

    def agrees(self, server: str, answer: Answer) -> bool:
        """Whether an answer is one that fits: of the server itself, not behind, or of somebody else, made of what the
        servers give."""
        if server in self.behind:
            return False
        known = frozenset().union(*(each.answer for each in self.samples if each.server not in self.behind))
        return answer <= known and (bool(answer) or not known)

    def equals(self, other: "Variety") -> bool:
        """Of two sides of which neither is steady: they give the same sets, for each network where that makes a
        difference."""
        if self.sort != other.sort or self.sort == Sort.STEADY:
            return False
        if self.sort == Sort.BY_CHANCE:
            return members_of(self.samples) == members_of(other.samples)
        return all(self._of_all(network) == other._of_all(network) for network in {*self.networks, *other.networks})

    def of(self, server: str) -> Answer:
        """All that it gave, to whomever."""
        return frozenset().union(*(each.answer for each in self.samples if each.server == server))

    def _of_all(self, network: str) -> Answer:
        return frozenset().union(*(self._pool(server, network) or frozenset() for server in self.servers))

    @property
    def text(self) -> str:
        """In a few words, with how sure it is."""
        asked = f"asked {len(self.samples)} times"
        places = f", for {len(self.networks) - 1} networks" if len(self.networks) > 1 else ""
        sure = f", {self.sure:.0%} sure that all of it was seen" if self.sort in (Sort.BY_CHANCE, Sort.BOTH) else ""
        return f"{self.sort} ({asked}{places}{sure})"

    def _pool(self, server: str, network: str) -> Answer | None:
        given = self._by.get((server, network))
        return frozenset().union(*given) if given else None

    def _is_odd(self, server: str, pools: Mapping[str, Answer]) -> bool:
        """The others agree with each other, or there are too few of them to say who is right."""
        others = [pool for other, pool in pools.items() if other != server]
        counts = Counter(others)
        return len(others) == 1 or counts.most_common(1)[0][1] > 1 or not any(pools[server] & each for each in others)


def _apart(pools: Iterable[Answer | None]) -> bool:
    """Some two of them have nothing in common: not parts of one set."""
    sets = [each for each in pools if each]
    return any(not one & other for at, one in enumerate(sets) for other in sets[at + 1 :])


def more_needed(samples: Sequence[Sample]) -> bool:
    """Whether to ask on: often enough to see whether anything changes, then until it is sure that all of it was
    seen."""
    found = Variety(tuple(samples))
    asked = Counter((each.server, each.network) for each in samples)
    fewest = min(asked.values(), default=0)
    if fewest < ENOUGH:
        return True
    return found.sort in (Sort.BY_CHANCE, Sort.BOTH) and found.sure < SURE and fewest < MOST
