"""How complete gathered contents are, and how that is known."""

from collections.abc import Collection
from dataclasses import dataclass
from enum import StrEnum

from legatum.core.records.name import Name

_ENOUGH = 5  # names found in both ways and in one alone say nothing below this


class Degree(StrEnum):
    """``COMPLETE``: nothing can be missing. ``COUNTED``: it is known how many names there are. ``SAMPLE``: what was
    asked for is there. ``UNCHECKED``: nobody was asked what is served."""

    COMPLETE = "complete"
    COUNTED = "counted"
    SAMPLE = "a sample"
    UNCHECKED = "as the file has it"


@dataclass(frozen=True, slots=True)
class Completeness:
    """``because``: how it is known, in a sentence. ``exist``: names that are there, where that is known or estimated;
    ``known``: those that were gathered; ``asked``: names that were asked for; ``unanswered``: questions that nobody
    answered; ``doubts``: what may be missing all the same."""

    degree: Degree
    because: str
    exist: int | None = None
    known: int | None = None
    asked: int | None = None
    unanswered: int = 0
    doubts: tuple[str, ...] = ()


def transferred() -> Completeness:
    return Completeness(Degree.COMPLETE, "the server sent the zone whole, from its SOA to its SOA")


def estimated_total(one: Collection[Name], other: Collection[Name]) -> int:
    """How many names there are, from two ways of finding some of them that know nothing of each other (capture and
    recapture, in Chapman's form): the fewer names both found, the more both missed."""
    both = len(set(one) & set(other))
    return (len(set(one)) + 1) * (len(set(other)) + 1) // (both + 1) - 1


def sampled(
    by_records: Collection[Name], by_list: Collection[Name], asked: int, unanswered: int, doubts: tuple[str, ...]
) -> Completeness:
    """Names found in the zone's own records and targets, and names found by asking for a list of usual ones."""
    known = len(set(by_records) | set(by_list))
    both, named = len(set(by_records) & set(by_list)), len(set(by_records))
    total = max(estimated_total(by_records, by_list), known) if named >= _ENOUGH else None
    because = (
        f"of {asked} names asked for {known} exist: {named} found through other records, {len(set(by_list))} "
        "on the list of usual names, "
        f"{both} both ways - "
        + (f"which makes about {total} likely in all" if total else "too few to say how many were not found")
    )
    return Completeness(Degree.SAMPLE, because, total, known, asked, unanswered, doubts)
