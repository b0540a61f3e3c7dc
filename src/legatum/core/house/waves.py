"""Many moves in waves: which domains go together and in which order, and how much trouble stops them."""

import re
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from legatum.core.records.name import ROOT, Name, parent_of
from legatum.core.running.fault import BadInput

REST = 0
"""As a size: all that are left."""


@dataclass(frozen=True, slots=True)
class Member:
    """``hosts``: the name servers by which visitors are led to the domain now."""

    domain: Name
    hosts: frozenset[Name] = frozenset()


@dataclass(frozen=True, slots=True)
class Tolerance:
    """How much trouble stops a wave: so many domains, or a share of them, in percent."""

    count: int = 1
    share: float | None = None

    def is_used_up(self, troubled: int, of: int) -> bool:
        return troubled > 0 and (troubled >= self.count if self.share is None else troubled * 100 >= self.share * of)

    @property
    def text(self) -> str:
        return f"{self.share:g} % of a wave" if self.share is not None else f"{self.count} of a wave"


def parse_tolerance(text: str) -> Tolerance:
    """``3``, or ``5%``. Raises :class:`BadInput`."""
    found = re.fullmatch(r"(\d+(?:\.\d+)?)\s*(%?)", text.strip())
    if found and found[2] and 0 < float(found[1]) <= 100:
        return Tolerance(share=float(found[1]))
    if found and not found[2] and found[1].isdecimal() and int(found[1]) > 0:
        return Tolerance(int(found[1]))
    raise BadInput(
        f"'{text}' says not how much trouble is too much",
        "give a number of domains from 1, or a share of a wave such as 5%",
    )


def parse_sizes(text: str) -> tuple[int, ...]:
    """``1,10,rest``; where no *rest* is named the last size comes again and again. Raises :class:`BadInput`."""
    sizes = list[int]()
    for word in (each.strip().casefold() for each in text.split(",")):
        if (sizes and sizes[-1] == REST) or not (word == "rest" or (word.isdecimal() and int(word) > 0)):
            raise BadInput(f"'{text}': no sizes of waves", "write numbers of domains, the rest at the end: 1,10,rest")
        sizes.append(REST if word == "rest" else int(word))
    return tuple(sizes)


def in_waves(members: Sequence[Member], sizes: Sequence[int]) -> list[tuple[Name, ...]]:
    """Each domain in one wave. A domain in which name servers of others stand comes after all of those, in a wave of
    its own or with its like; the others in their own order, and within a wave those that use the same hosts one after
    the other. Of domains that depend on each other none comes before the others."""
    levels = _levels(members)
    waves = list[tuple[Name, ...]]()
    for level in sorted(set(levels.values())):
        own = [each for each in members if levels[each.domain] == level]
        waves += _cut(own, sizes) if level == 0 else [_together(own)]
    return waves


def _cut(members: Sequence[Member], sizes: Sequence[int]) -> list[tuple[Name, ...]]:
    waves, at, number = list[tuple[Name, ...]](), 0, 0
    while at < len(members):
        size = sizes[min(number, len(sizes) - 1)] or len(members) - at
        waves.append(_together(members[at : at + size]))
        at, number = at + size, number + 1
    return waves


def _together(members: Iterable[Member]) -> tuple[Name, ...]:
    groups: dict[frozenset[Name], list[Name]] = {}
    for each in members:
        groups.setdefault(each.hosts, []).append(each.domain)
    return tuple(domain for group in groups.values() for domain in group)


def _levels(members: Sequence[Member]) -> dict[Name, int]:
    """How many others have to go before it, one after the other: 0 for a domain on which no other one of the list
    depends."""
    domains = {each.domain for each in members}
    depends = {
        each.domain: {found for host in each.hosts if (found := _holder(host, domains)) and found != each.domain}
        for each in members
    }
    holders = {each for found in depends.values() for each in found}
    reached = {each: _reached(each, depends) for each in holders}
    for domain in holders:  # of those that depend on each other none can go before the others
        depends[domain] = {each for each in depends[domain] if domain not in reached[each]}
    waiting = Counter(each for found in depends.values() for each in found)
    levels, free = dict.fromkeys(domains, 0), [each for each in domains if not waiting[each]]
    while free:
        domain = free.pop()
        for holder in depends[domain]:
            levels[holder] = max(levels[holder], levels[domain] + 1)
            waiting[holder] -= 1
            if not waiting[holder]:
                free.append(holder)
    return levels


def _reached(domain: Name, depends: Mapping[Name, set[Name]]) -> set[Name]:
    """What it depends on, by way of others too."""
    found, left = set[Name](), [domain]
    while left:
        new = depends[left.pop()] - found
        found |= new
        left += new
    return found


def _holder(host: Name, domains: set[Name]) -> Name | None:
    """The domain of the list in which a host stands."""
    while host != ROOT:
        if host in domains:
            return host
        host = parent_of(host)
    return None
