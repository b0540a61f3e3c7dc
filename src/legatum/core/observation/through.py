"""A domain as one resolver has it: copies, where nobody who could tell can be asked."""

from dataclasses import dataclass
from typing import NamedTuple

from legatum.core.records.name import Name
from legatum.core.records.rrset import RRset


class Unheard(NamedTuple):
    """A question that the resolver did not answer: what came back instead, and its extended errors (RFC 8914)."""

    name: Name
    rtype: int
    outcome: str
    errors: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class SeenThrough:
    """``sets``: what it hands out, the TTL being what is left of its copy; ``absent``: name and type of which it says
    that there are none; ``no_such``: names of which it says that there are none; ``authenticated``: it says of every
    answer that it checked the signatures (AD).
    """

    domain: Name
    at: float
    resolver: str
    address: str
    sets: tuple[RRset, ...]
    absent: tuple[tuple[Name, int], ...]
    no_such: tuple[Name, ...]
    unheard: tuple[Unheard, ...]
    authenticated: bool
