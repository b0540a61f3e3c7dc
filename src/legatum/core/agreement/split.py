"""The same names from two places: inside an office and outside, each with servers and resolvers of its own.

That they differ is what such views are for. What is wrong is an inner address that leaks outside, a view that has old
data, and a name that the others have and one of them lacks.
"""

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

from legatum.core.observation.answers import Form, Said
from legatum.core.records.address import address_text
from legatum.core.records.name import Name
from legatum.core.records.rrset import RRset
from legatum.core.records.rrtype import AAAA, A
from legatum.core.records.space import is_public


class Split(StrEnum):
    """What the two give, held against each other."""

    SAME = "the same"
    ONLY_INSIDE = "only inside"
    INNER = "an inner address inside"
    ANOTHER = "another answer inside"
    ONLY_OUTSIDE = "missing inside"
    OLD = "inside has the old data"
    OLD_OUTSIDE = "outside has the old data"
    LEAK = "an inner address outside"
    APART = "not the same within the view"
    UNKNOWN = "no answer"

    @property
    def is_fault(self) -> bool:
        return self in (Split.ONLY_OUTSIDE, Split.OLD, Split.OLD_OUTSIDE, Split.LEAK, Split.APART, Split.UNKNOWN)


@dataclass(frozen=True, slots=True)
class Row:
    """One name and type. ``inside``, ``outside``: what is given there; ``apart``: who within a view gives something
    else."""

    name: Name
    rtype: int
    split: Split
    inside: Said
    outside: Said
    apart: tuple[tuple[str, Said], ...] = ()


def split_of(
    question: tuple[Name, int],
    inside: Mapping[str, Said],
    outside: Mapping[str, Said],
    old: RRset | None,
    home: Sequence[str],
) -> Row:
    """``inside``, ``outside``: who was asked → what was said; ``old``: what was there before a change; ``home``:
    special address ranges that count as public."""
    one, other = _usual(inside), _usual(outside)
    apart = tuple(
        (who, said)
        for each, usual in ((inside, one), (outside, other))
        for who, said in each.items()
        if said.records != usual.records
    )
    kind = _kind(question[1], one, other, old, tuple(home))
    if apart and not kind.is_fault:
        kind = Split.APART
    return Row(*question, kind, one, other, apart)


def _usual(said: Mapping[str, Said]) -> Said:
    """What most of a view say; those that are silent count where all are."""
    heard = [each for each in said.values() if each.form not in (Form.SILENT, Form.ERROR)] or list(said.values())
    if not heard:
        return Said(Form.SILENT, "nobody was asked")
    most, _ = Counter(each.records for each in heard).most_common(1)[0]
    return next(each for each in heard if each.records == most)


def _kind(rtype: int, inside: Said, outside: Said, old: RRset | None, home: tuple[str, ...]) -> Split:
    for each in (inside, outside):
        if each.form in (Form.SILENT, Form.ERROR, Form.REFERRAL):
            return Split.UNKNOWN
    if _inner(outside, home):
        return Split.LEAK
    if inside.records == outside.records:
        return Split.SAME
    if old is not None:
        for said, kind in ((inside, Split.OLD), (outside, Split.OLD_OUTSIDE)):
            if _data(said, rtype) == frozenset(old.rdatas):
                return kind
    if not outside.records:
        return Split.ONLY_INSIDE
    if not inside.records:
        return Split.ONLY_OUTSIDE
    return Split.INNER if _inner(inside, home) else Split.ANOTHER


def _data(said: Said, rtype: int) -> frozenset[bytes]:
    return frozenset(rdata for each in said.rrsets if each.rtype == rtype for rdata in each.rdatas)


def _inner(said: Said, home: tuple[str, ...]) -> bool:
    addresses = [address_text(rdata) for each in said.rrsets if each.rtype in (A, AAAA) for rdata in each.rdatas]
    return any(not is_public(each, home) for each in addresses)
