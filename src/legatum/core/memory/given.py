"""What places gave, as the journal remembers it, and what a look adds to that."""

from collections.abc import Collection, Iterable
from typing import NamedTuple

from legatum.core.records.name import ROOT, Name, absolute_text, parse_name
from legatum.core.records.presentation import parse_rdata, rdata_texts
from legatum.core.records.rrset import RRset, rrset, targets
from legatum.core.records.rrtype import NS
from legatum.core.running.fault import BadInput

OWN_SERVERS = ""
"""The place of what was given by servers that the settings name nowhere."""
ABSENT = "-"
"""The data of what was not there; its TTL is that of *no such name*."""
_LONGEST = 2000  # characters of data that are remembered of a set


class GivenSet(NamedTuple):
    """An RRset as it was given. ``place``: by whom; ``data``: as text."""

    place: str
    name: Name
    rtype: int
    ttl: int
    data: str = ""


class Given(NamedTuple):
    """The same, from ``first`` to ``last`` as far as was seen, to a day; ``gone``: since when it is known to be given
    there no longer, None where that was not seen."""

    number: int
    place: str
    name: Name
    rtype: int
    ttl: int
    data: str
    first: float
    last: float
    gone: float | None = None

    @property
    def seen(self) -> GivenSet:
        return GivenSet(self.place, self.name, self.rtype, self.ttl, self.data)


class Look(NamedTuple):
    """What was seen of a domain at one time. ``known``: place, name and type of which nothing but what was ``seen`` is
    given there any more; ``whole``: places of which that holds of everything; ``led``: places to which anybody is led
    for it now, None where that was not looked at. Of none of them: what was given before may be given still."""

    domain: Name
    at: float
    seen: tuple[GivenSet, ...] = ()
    known: frozenset[tuple[str, Name, int]] = frozenset()
    whole: frozenset[str] = frozenset()
    led: frozenset[str] | None = None

    def ended(self, given: Iterable[Given]) -> list[Given]:
        """Of what was given until then, what the look shows to be given no longer: by its place or, where nobody wrote
        down by whom, at all."""
        seen, keys = set(self.seen), {(name, rtype) for _, name, rtype in self.known}

        def is_known(one: Given) -> bool:
            if self.led is not None and one.place not in self.led:
                return True
            if not one.place:
                return bool(self.whole) or (one.name, one.rtype) in keys
            return one.place in self.whole or (one.place, one.name, one.rtype) in self.known

        return [one for one in given if one.gone is None and one.seen not in seen and is_known(one)]


def seen_of(place: str, sets: Iterable[RRset | None]) -> list[GivenSet]:
    return [GivenSet(place, each.name, each.rtype, each.ttl, _text(each)) for each in sets if each is not None]


def absent(place: str, name: Name, rtype: int, negative_ttl: int) -> GivenSet:
    """The answer that there is none."""
    return GivenSet(place, name, rtype, negative_ttl, ABSENT)


def _text(each: RRset) -> str:
    return (" ".join(map(absolute_text, targets(each))) if each.rtype == NS else " | ".join(rdata_texts(each)))[
        :_LONGEST
    ]


def rrset_of(one: Given) -> RRset | None:
    """None where the data are not all there, or it was not there."""
    if not one.data or one.data == ABSENT or len(one.data) >= _LONGEST:
        return None
    try:
        if one.rtype == NS:
            return rrset(one.name, NS, one.ttl, [parse_name(name) for name in one.data.split()])
        return rrset(one.name, one.rtype, one.ttl, [parse_rdata(one.rtype, text, ROOT) for text in _parts(one.data)])
    except BadInput:
        return None


def _parts(data: str) -> Collection[str]:
    return data.split(" | ")
