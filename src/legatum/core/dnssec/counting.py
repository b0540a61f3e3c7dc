"""Names of a signed zone counted by its chain of hashes (RFC 5155), and the order in which its plain chain has them
(RFC 4034 s6.1)."""

from bisect import bisect_right
from collections.abc import Iterable
from dataclasses import dataclass, field
from random import Random

from legatum.core.dnssec.denial import Nsec3, nsec3_hash
from legatum.core.records.name import MAX_LABEL, MAX_NAME, ROOT, Name, ancestors, is_under

_MOST_HASHES = 2_000_000


def just_behind(name: Name) -> Name | None:
    """The first name that sorts behind ``name`` and all that is below it (RFC 4034 s6.1); None where there is no room
    for one."""
    length = name[0]
    if length >= MAX_LABEL or len(name) >= MAX_NAME:
        return None
    return Name(bytes((length + 1,)) + name[1 : length + 1] + b"\0" + name[length + 1 :])


@dataclass
class Count:
    """``hashes``: of names that exist, with the types there; ``links``: hash → the following one; ``opt_out``: unsigned
    sub-delegations may be missing in the chain."""

    salt: bytes
    iterations: int
    hashes: dict[bytes, frozenset[int]] = field(default_factory=dict)
    links: dict[bytes, bytes] = field(default_factory=dict)
    opt_out: bool = False
    questions: int = 0

    def take(self, shown: Nsec3) -> None:
        self.links[shown.owner_hash] = shown.following
        self.hashes[shown.owner_hash] = shown.types
        self.opt_out |= shown.opt_out

    @property
    def closed(self) -> bool:
        """No gap is left."""
        return bool(self.links) and all(following in self.links for following in self.links.values())

    def knows(self, name: Name) -> bool:
        return nsec3_hash(name, self.salt, self.iterations) in self.hashes


class Guesses:
    """Names that nobody made, whose hashes fall into gaps not shown yet."""

    def __init__(self, origin: Name, chance: Random) -> None:
        self._origin = origin
        self._chance = chance
        self._tried = 0
        self._owners: list[bytes] = []

    def next(self, found: Count | None) -> Name | None:
        while self._tried < _MOST_HASHES:
            self._tried += 1
            label = self._chance.randbytes(8).hex().encode()
            name = Name(bytes((len(label),)) + label + self._origin)
            if found is None or not self._covered(nsec3_hash(name, found.salt, found.iterations), found.links):
                return name
        return None

    def _covered(self, digest: bytes, links: dict[bytes, bytes]) -> bool:
        if len(self._owners) != len(links):
            self._owners = sorted(links)
        owner = self._owners[bisect_right(self._owners, digest) - 1]
        following = links[owner]
        return owner < digest < following or (following <= owner and (digest > owner or digest < following))


def with_empty_names(names: Iterable[Name], origin: Name) -> set[Name]:
    """The names and those between them and the apex: what a chain of hashes counts."""
    return {each for name in names for each in ancestors(name) if each != ROOT and is_under(each, origin)}
