"""Who signs a zone, and who vouches for the keys: by labels, so that keys can be meant that are not made yet.

A key that is known is called by tag and algorithm, ``12345/13``; those that a place will make, ``the keys of rowan``.
"""

from dataclasses import dataclass


def keys_to_come(place: str) -> str:
    """The label of keys that a place makes by itself, which nobody knows before it has."""
    return f"the keys of {place}"


@dataclass(frozen=True, slots=True)
class Keys:
    """With what a place signs a zone: the labels ``published`` in the DNSKEY set, those of them that sign that set (``entry``), and those
    that sign everything else (``zone``). ``ttl``: of the DNSKEY set, in seconds."""

    published: tuple[str, ...]
    entry: tuple[str, ...]
    zone: tuple[str, ...]
    ttl: int

    @classmethod
    def to_come(cls, place: str, ttl: int) -> "Keys":
        """Of a place that will sign by itself."""
        label = (keys_to_come(place),)
        return cls(label, label, label, ttl)

    def are(self, other: "Keys | None") -> bool:
        """The same keys for the same work, whatever the TTL."""
        return other is not None and (self.published, self.entry, self.zone) == (other.published, other.entry, other.zone)

    @property
    def is_to_come(self) -> bool:
        """Nobody knows them yet."""
        return any("/" not in each for each in self.published)

    @property
    def text(self) -> str:
        return ", ".join(self.published)


@dataclass(frozen=True, slots=True)
class Anchors:
    """The DS set that a parent hands out for a domain: ``records`` as texts, ``12345 13 2 …``; or ``of``: the place whose keys it is made
    from once they are there. ``ttl``: with which the parent gives it, in seconds. Neither: no DS."""

    records: tuple[str, ...] = ()
    of: str = ""
    ttl: int = 0

    def __bool__(self) -> bool:
        return bool(self.records or self.of)

    @property
    def labels(self) -> frozenset[str]:
        """Of the keys that it vouches for."""
        known = ("/".join(each.split()[:2]) for each in self.records)
        return frozenset((*known, *([keys_to_come(self.of)] if self.of else [])))

    @property
    def text(self) -> str:
        return "; ".join(f"DS {each}" for each in self.records) or (f"DS of {keys_to_come(self.of)}" if self.of else "no DS")


def vouches(anchors: Anchors, keys: Keys | None) -> bool:
    """Whether a validating resolver that has the DS set takes the key set (RFC 4035 s5.2): one of its keys is vouched for, and signs it."""
    return not anchors or (keys is not None and bool(anchors.labels & set(keys.published) & set(keys.entry)))


def proves(keys: Keys, signed_by: Keys | None) -> bool:
    """Whether with that key set data hold that were signed so (RFC 4035 s5.3.1)."""
    return signed_by is not None and bool(set(keys.published) & set(signed_by.zone))
