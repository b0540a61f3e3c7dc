"""Who signs a zone, and its DS set: by labels, so that keys can be meant that are not made yet.

A key that is known is called by tag and algorithm, ``12345/13``; those that a place will make, ``the keys of rowan``,
or ``the new key of rowan, algorithm 13``.

A resolver may want a signature of every algorithm that a DS set or a key set names (RFC 4035 s2.2, where RFC 6840 s5.11
asks for less): what is said to hold here holds for such a one too.
"""

from collections.abc import Collection, Iterable
from dataclasses import dataclass, replace

_DIGITS = 16  # of a digest, where it is cut


def keys_to_come(place: str) -> str:
    """The label of keys that a place makes by itself, which nobody knows before it has."""
    return f"the keys of {place}"


def new_key(place: str, algorithm: int = 0) -> str:
    """The label of a key that a place will make beside those that it has. ``algorithm``: another one than theirs."""
    return f"the new key of {place}" + (f", algorithm {algorithm}" if algorithm else "")


def algorithm_of(label: str) -> int | None:
    """None where nobody has said; then it is the same as that of the keys beside it."""
    known = label.partition("/")[2] or label.partition(", algorithm ")[2]
    return int(known) if known else None


def is_known(label: str) -> bool:
    """The label is of a key that was there when it was planned."""
    return "/" in label


@dataclass(frozen=True, slots=True)
class Keys:
    """With what a place signs a zone: the labels ``published`` in the DNSKEY set, those of them that sign that set
    (``entry``), and those that sign everything else (``zone``). ``ttl``: of the DNSKEY set, in seconds."""

    published: tuple[str, ...]
    entry: tuple[str, ...]
    zone: tuple[str, ...]
    ttl: int

    @classmethod
    def to_come(cls, place: str, ttl: int) -> "Keys":
        """Of a place that will sign by itself."""
        label = (keys_to_come(place),)
        return cls(label, label, label, ttl)

    @property
    def roles(self) -> tuple[tuple[str, ...], ...]:
        """Published, sign the key set, sign the rest."""
        return self.published, self.entry, self.zone

    def are(self, other: "Keys | None") -> bool:
        """The same keys for the same work, whatever the TTL."""
        return other is not None and self.roles == other.roles

    @property
    def is_to_come(self) -> bool:
        """Nobody knows them yet."""
        return not any(map(is_known, (*self.published, *self.entry, *self.zone)))

    def with_foreign(self, others: Iterable[str]) -> "Keys":
        """The key set with keys of somebody else in it too (RFC 8901 s2.1.2)."""
        return replace(self, published=tuple(dict.fromkeys((*self.published, *others))))

    def without(self, others: Collection[str]) -> "Keys":
        """The key set without keys of somebody else: whatever is signed with stays."""
        signing = {*self.entry, *self.zone}
        return replace(self, published=tuple(each for each in self.published if each in signing or each not in others))

    def agree(self, given: "Keys", made_with: "Keys", known: Collection[str]) -> bool:
        """What is given is what was meant. ``made_with``: with the keys of signatures too that nobody can check, which
        may be more than was meant; ``known``: the keys that the plan calls by their tags; any other may be one that was
        to come."""
        if self.is_to_come:
            return True
        for meant, least, most in zip(self.roles, given.roles, made_with.roles, strict=True):
            named = {each for each in meant if is_known(each)}
            others = [each for each in least if each not in known]
            if not set(least) & set(known) <= named <= set(most) or (others and all(map(is_known, meant))):
                return False
            if not all(map(is_known, meant)) and all(each in known for each in most):
                return False
        return True

    @property
    def text(self) -> str:
        return ", ".join(self.published)

    @property
    def roles_text(self) -> str:
        """Which of them do what, where they do not all do everything."""
        if set(self.published) == set(self.entry) == set(self.zone):
            return self.text
        entry, zone = ", ".join(self.entry), ", ".join(self.zone)
        return f"keys {self.text} (the key set signed with {entry}, the rest with {zone})"


@dataclass(frozen=True, slots=True)
class DsSet:
    """The DS set that a parent hands out for a domain: ``records`` as texts, ``12345 13 2 …``; and ``of``: places from
    whose keys it is made once they are there, ``new``: from a new key alone, which has that ``algorithm`` if another
    than the old one's. ``ttl``: with which the parent gives it, in seconds. Neither: no DS."""

    records: tuple[str, ...] = ()
    of: tuple[str, ...] = ()
    ttl: int = 0
    new: bool = False
    algorithm: int = 0

    def __bool__(self) -> bool:
        return bool(self.records or self.of)

    @property
    def labels(self) -> frozenset[str]:
        """Of the keys that it matches."""
        known = ("/".join(each.split()[:2]) for each in self.records)
        return frozenset((*known, *self.to_come))

    def only(self, labels: Collection[str]) -> "DsSet":
        """What is of known keys of these labels."""
        return replace(
            self, records=tuple(each for each in self.records if "/".join(each.split()[:2]) in labels), of=()
        )

    @property
    def to_come(self) -> tuple[str, ...]:
        """The labels of keys that are not known yet."""
        return tuple(new_key(each, self.algorithm) if self.new else keys_to_come(each) for each in self.of)

    @property
    def text(self) -> str:
        named = [f"DS {each}" for each in self.records] + [f"DS of {each}" for each in self.to_come]
        return "; ".join(named) or "no DS"

    @property
    def brief_text(self) -> str:
        """With digests cut."""
        named = [f"DS {ds_brief(each)}" for each in self.records] + [f"DS of {each}" for each in self.to_come]
        return "; ".join(named) or "no DS"

    @property
    def short_text(self) -> str:
        """By the keys that it matches."""
        return f"the DS of {named_keys(sorted(self.labels))}" if self else "no DS"


def ds_brief(record: str) -> str:
    """A DS record as text, with as much of its digest as tells it from others."""
    *head, digest = record.split(maxsplit=3)
    return " ".join([*head, f"{digest[:_DIGITS]}…" if len(digest) > _DIGITS else digest])


def named_keys(keys: Iterable[str]) -> str:
    """``12345/13`` as *key 12345/13*; what is to come is said as it is called."""
    return ", ".join(f"key {each}" if is_known(each) else each for each in keys)


def ds_matches(anchors: DsSet, keys: Keys | None) -> bool:
    """Whether a validating resolver that has the DS set takes the key set (RFC 4035 s5.2): a key with a DS signs it,
    for every algorithm of the DS set."""
    return not anchors or (keys is not None and _covers(anchors.labels, set(keys.published) & set(keys.entry)))


def validates(keys: Keys, signed_by: Keys | None) -> bool:
    """Whether with that key set data hold that were signed so (RFC 4035 s5.3.1), for every algorithm of the key set."""
    return signed_by is not None and _covers(keys.published, set(signed_by.zone))


def proven_by(keys: Keys, signed_by: Keys) -> bool:
    """Whether one signature at least is by a key of the set: a resolver that is content with that takes it (RFC 6840
    s5.11)."""
    return bool(set(keys.published) & set(signed_by.zone))


def _covers(named: Collection[str], there: Collection[str]) -> bool:
    found = {algorithm_of(each) for each in named if each in there}
    return bool(found) and (None in found or {algorithm_of(each) for each in named} - {None} <= found)
