"""What differs between two copies of a zone, RRset by RRset."""

from collections.abc import Callable, Collection, Iterable, Mapping
from dataclasses import dataclass, replace
from enum import StrEnum

from legatum.core.records.name import Name, canonical_key, name_text
from legatum.core.records.presentation import rdata_texts
from legatum.core.records.rrset import RRset, targets
from legatum.core.records.rrtype import AAAA, ALIAS, CNAME, NS, SOA, A, type_text
from legatum.core.zones.signer import OWN
from legatum.core.zones.zone import Zone

_ALIASES = (CNAME, ALIAS)
_SIDES = ("left", "right")


class DifferenceKind(StrEnum):
    """How the two sides of one RRset stand to each other."""

    ONLY_LEFT = "only left"
    ONLY_RIGHT = "only right"
    DATA = "data differ"
    TTL = "TTL differs"


class ForVisitors(StrEnum):
    """What a difference between an old side and a new one means for those who ask. The last one says nothing at all."""

    WORSE = "worse at the new side"
    UNKNOWN = "not known"
    DISAGREES = "the old side disagrees with itself"
    BETTER = "better at the new side"
    EQUAL = "equal for visitors"
    OWN = "each side's own"

    @property
    def refuses(self) -> bool:
        """Nobody should be led from the old side to the new one."""
        return self in (ForVisitors.WORSE, ForVisitors.UNKNOWN)


@dataclass(frozen=True, slots=True)
class Difference:
    """One RRset that is not the same on both sides. ``expected``: providers each write their own, so it says nothing;
    ``flattened``: an alias on one side and the addresses that it leads to on the other."""

    name: Name
    rtype: int
    left: RRset | None
    right: RRset | None
    expected: bool = False
    flattened: bool = False

    @property
    def kind(self) -> DifferenceKind:
        if self.right is None:
            return DifferenceKind.ONLY_LEFT
        if self.left is None:
            return DifferenceKind.ONLY_RIGHT
        return DifferenceKind.TTL if self.left.says_the_same(self.right) else DifferenceKind.DATA

    @property
    def weight(self) -> ForVisitors:
        """With the old side on the left."""
        if self.expected:
            return ForVisitors.OWN
        if self.flattened:
            return ForVisitors.EQUAL
        return {DifferenceKind.ONLY_RIGHT: ForVisitors.BETTER, DifferenceKind.TTL: ForVisitors.EQUAL}.get(
            self.kind, ForVisitors.WORSE
        )


def belongs_to_provider(origin: Name, name: Name, rtype: int) -> bool:
    """SOA and NS at the apex, and what a signer makes: each provider has its own, so a difference there is expected."""
    return rtype in OWN or (name == origin and rtype in (SOA, NS))


def zone_differences(
    left: Zone, right: Zone, expected: Callable[[Name, Name, int], bool] = belongs_to_provider
) -> tuple[Difference, ...]:
    """Every RRset that differs, in canonical order; those for which ``expected(origin, name, type)`` holds are
    marked."""
    found = []
    for name in left.names | right.names:
        ours, theirs = left.at(name), right.at(name)
        if ours != theirs:
            for rtype in {each.rtype for each in (*ours, *theirs)}:
                one, other = left.get(name, rtype), right.get(name, rtype)
                if one != other:
                    found.append(Difference(name, rtype, one, other, expected(left.origin, name, rtype)))
    return tuple(sorted(found, key=lambda each: (canonical_key(each.name), each.rtype)))


def flattened_aliases(found: Iterable[Difference]) -> dict[Name, tuple[Name, frozenset[bytes]]]:
    """Name → where its alias leads on one side, and the addresses that stand for it on the other."""
    by_name: dict[Name, list[Difference]] = {}
    for each in found:
        by_name.setdefault(each.name, []).append(each)
    aliases = dict[Name, tuple[Name, frozenset[bytes]]]()
    for name, some in by_name.items():
        for one, other in (_SIDES, _SIDES[::-1]):
            target = next(
                (targets(held)[0] for each in some if each.rtype in _ALIASES and (held := getattr(each, one))), None
            )
            beside = [held for each in some if each.rtype in (A, AAAA) and (held := getattr(each, other))]
            if (
                target is not None
                and beside
                and all(getattr(each, other) is None for each in some if each.rtype in _ALIASES)
            ):
                aliases[name] = target, frozenset(data for each in beside for data in each.rdatas)
    return aliases


def with_flattened(found: Iterable[Difference], names: Collection[Name]) -> tuple[Difference, ...]:
    """With those told as equal that have an alias on one side, at these names, and its addresses on the other; or an
    alias of either sort to the same name."""
    found = tuple(found)
    ends = [
        {each.name: targets(held) for each in found if each.rtype in _ALIASES and (held := getattr(each, side))}
        for side in _SIDES
    ]
    names = {*names, *(name for name, target in ends[0].items() if ends[1].get(name) == target)}
    return tuple(replace(each, flattened=each.name in names and each.rtype in (*_ALIASES, A, AAAA)) for each in found)


def difference_text(difference: Difference) -> str:
    """A change in one line, old → new: ``www A: 300 192.0.2.1 → 300 192.0.2.2``."""
    old, new = (
        f"{side.ttl} {' | '.join(rdata_texts(side))}" if side else "nothing"
        for side in (difference.left, difference.right)
    )
    return f"{name_text(difference.name)} {type_text(difference.rtype)}: {old} → {new}"


@dataclass(frozen=True, slots=True)
class Edit:
    """What somebody changed at ``place`` since it was made like the others; ``others`` have it not. ``clashes``: one of
    them was edited there too, to something else."""

    place: str
    others: tuple[str, ...]
    change: Difference
    clashes: bool


def edits_between(before: Mapping[str, Zone], now: Mapping[str, Zone]) -> tuple[Edit, ...]:
    """Edits of one zone that only some of the places have, in canonical order for each. ``before``: each place when it
    was made."""
    changed = {
        place: {(each.name, each.rtype): each for each in zone_differences(before[place], zone) if not each.expected}
        for place, zone in now.items()
    }
    found = []
    for place, differences in changed.items():
        for key, each in differences.items():
            others = tuple(other for other, zone in now.items() if zone.get(*key) != each.right)
            if others:
                found.append(Edit(place, others, each, any(key in changed[other] for other in others)))
    return tuple(found)
