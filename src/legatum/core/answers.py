"""Comparing what servers answer: which questions to put to both sides, and which answers differ."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from legatum.core.difference import belongs_to_provider
from legatum.core.name import Name, ancestors, below, is_under
from legatum.core.rrset import RRset
from legatum.core.rrtype import AAAA, MX, NS, TXT, A
from legatum.core.zone import Zone

_NONSENSE = "legatum-no-such-name"


@dataclass(frozen=True, slots=True)
class Said:
    """What of an answer must be the same on every server: response code, authority, and the RRsets with their TTLs."""

    outcome: str
    rrsets: tuple[RRset, ...] = ()


@dataclass(frozen=True, slots=True)
class AnswerDifference:
    """One question to which not all servers say the same. ``said``: what → the addresses that say it."""

    name: Name
    rtype: int
    said: Mapping[Said, tuple[str, ...]]
    expected: bool


def questions_about(zone: Zone) -> list[tuple[Name, int]]:
    """Every name and type of the zone; each name's common types that it lacks; names that must not exist; wildcards; empty names."""
    asked = dict.fromkeys(sorted(zone.keys))
    cuts = {name for name, rtype in zone.keys if rtype == NS and name != zone.origin}
    for name in zone.names:
        asked.update(dict.fromkeys((name, rtype) for rtype in (A, AAAA, TXT, MX)))
        asked.update(dict.fromkeys((each, A) for each in ancestors(name) if is_under(each, zone.origin)))
        if name.startswith(b"\1*"):
            asked[below(_NONSENSE, Name(name[2:])), A] = None
    asked[below(_NONSENSE, zone.origin), A] = None
    asked[below("www", zone.origin), A] = None
    return [key for key in asked if not any(key[0] != cut and is_under(key[0], cut) for cut in cuts)]


def answer_differences(origin: Name, heard: Iterable[tuple[Name, int, str, Said]]) -> tuple[AnswerDifference, ...]:
    """From (name, type, address, what it said) to the questions with more than one answer."""
    grouped: dict[tuple[Name, int], dict[Said, list[str]]] = {}
    for name, rtype, address, said in heard:
        grouped.setdefault((name, rtype), {}).setdefault(said, []).append(address)
    return tuple(
        AnswerDifference(
            name,
            rtype,
            {said: tuple(where) for said, where in answers.items()},
            belongs_to_provider(origin, name, rtype),
        )
        for (name, rtype), answers in grouped.items()
        if len(answers) > 1
    )
