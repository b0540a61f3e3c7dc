"""Gathering through the proofs of a signed zone: its NSEC chain names every name, its NSEC3 chain counts them."""

import asyncio
import os
from bisect import bisect_right
from collections.abc import Iterable
from dataclasses import dataclass, field

from legatum.core.dnssec.denial import Nsec3, nsec3_hash, parse_nsec, parse_nsec3
from legatum.core.records.name import MAX_LABEL, MAX_NAME, ROOT, Name, ancestors, is_under
from legatum.core.records.rrset import RRset
from legatum.core.records.rrtype import NS, NSEC, NSEC3, RRSIG, A
from legatum.net.asker import Asker
from legatum.net.reply import Reply

_MOST_NAMES = 200_000
_MOST_QUESTIONS = 5_000  # for counting; each closes up to three gaps
_MOST_HASHES = 2_000_000
_LEFT_OUT = frozenset((RRSIG, NSEC))
_AT_ONCE = 24


@dataclass
class Walk:
    """``closed``: the chain led back to its beginning, so that no name is missing. ``unanswered``: questions in vain."""

    rrsets: list[RRset] = field(default_factory=list)
    names: set[Name] = field(default_factory=set)
    closed: bool = False
    unanswered: int = 0


async def walk(asker: Asker, server: str, origin: Name) -> Walk | None:
    """Along the NSEC chain from the apex, every type of every name asked for. None where there is no chain to walk."""
    found = Walk()
    line = asyncio.Semaphore(_AT_ONCE)
    asking: set[asyncio.Task[None]] = set()
    name = origin
    while len(found.names) < _MOST_NAMES:
        link = _link(await asker.ask(server, name, NSEC, dnssec=True), name)
        if link is None and name != origin and (behind := just_behind(name)) is not None:
            # At a cut with a DS some servers refer, and show no NSEC: what denies the name just behind it is the same one.
            link = _link(await asker.ask(server, behind, A, dnssec=True), name)
        if link is None:
            if name == origin:
                return None
            break
        following, types = link
        found.names.add(name)
        task = asyncio.create_task(_fill(asker, server, name, types, found, line))
        asking.add(task)
        task.add_done_callback(asking.discard)
        if following == origin or following in found.names or not is_under(following, origin):
            found.closed = following == origin
            break
        if following == Name(b"\1\0" + name):
            # Made up for the question: the server signs as it answers, and its chain leads nowhere.
            for each in asking:
                each.cancel()
            return None
        name = following
    await asyncio.gather(*asking)
    return found


def just_behind(name: Name) -> Name | None:
    """The first name that sorts behind ``name`` and all that is below it (RFC 4034 s6.1); None where there is no room for one."""
    length = name[0]
    if length >= MAX_LABEL or len(name) >= MAX_NAME:
        return None
    return Name(bytes((length + 1,)) + name[1 : length + 1] + b"\0" + name[length + 1 :])


def _link(reply: Reply, name: Name) -> tuple[Name, frozenset[int]] | None:
    rrset = reply.find(NSEC) or next((each for each in reply.authority if each.rtype == NSEC and each.name == name), None)
    return parse_nsec(rrset.rdatas[0]) if rrset is not None else None


async def _fill(asker: Asker, server: str, name: Name, types: Iterable[int], found: Walk, line: asyncio.Semaphore) -> None:
    for rtype in sorted(set(types) - _LEFT_OUT):
        async with line:
            reply = await asker.ask(server, name, rtype)
        if not reply.answered:
            found.unanswered += 1
        rrset = reply.find(rtype)
        if rrset is not None:
            found.rrsets.append(rrset)
        elif rtype == NS:
            # A cut: the NS set comes as a referral, with the glue beside it.
            found.rrsets += [each for each in reply.authority if each.rtype == NS and each.name == name]
            found.rrsets += [each for each in reply.additional if each.rtype in (1, 28) and is_under(each.name, name)]


@dataclass
class Count:
    """``hashes``: of names that exist, with the types there; ``closed``: no gap is left; ``opt_out``: unsigned sub-delegations may be
    missing in the chain."""

    salt: bytes
    iterations: int
    hashes: dict[bytes, frozenset[int]] = field(default_factory=dict)
    closed: bool = False
    opt_out: bool = False
    questions: int = 0

    def knows(self, name: Name) -> bool:
        return nsec3_hash(name, self.salt, self.iterations) in self.hashes


async def count(asker: Asker, server: str, origin: Name) -> Count | None:
    """How many names there are: hashes are drawn until each gap of the NSEC3 chain has been shown. None where there is no such chain."""
    links: dict[bytes, bytes] = {}
    found: Count | None = None
    guesses = _Guesses(origin)
    for _ in range(_MOST_QUESTIONS):
        name = guesses.next(links, found)
        if name is None:
            break
        reply = await asker.ask(server, name, A, dnssec=True)
        shown = [parsed for each in reply.authority if each.rtype == NSEC3 and (parsed := parse_nsec3(each))]
        if not shown:
            if found is None:
                return None
            continue
        found = found or Count(shown[0].salt, shown[0].iterations)
        found.questions += 1
        for each in shown:
            _take(each, links, found)
        if _is_ring(links):
            found.closed = True
            break
    return found


def _take(shown: Nsec3, links: dict[bytes, bytes], found: Count) -> None:
    links[shown.owner_hash] = shown.following
    found.hashes[shown.owner_hash] = shown.types
    found.opt_out |= shown.opt_out


def _is_ring(links: dict[bytes, bytes]) -> bool:
    return all(following in links for following in links.values())


class _Guesses:
    """Names that nobody made, whose hashes fall into gaps not shown yet."""

    def __init__(self, origin: Name) -> None:
        self._origin = origin
        self._tried = 0
        self._owners: list[bytes] = []

    def next(self, links: dict[bytes, bytes], found: Count | None) -> Name | None:
        while self._tried < _MOST_HASHES:
            self._tried += 1
            label = os.urandom(8).hex().encode()
            name = Name(bytes((len(label),)) + label + self._origin)
            if found is None or not self._covered(nsec3_hash(name, found.salt, found.iterations), links):
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
