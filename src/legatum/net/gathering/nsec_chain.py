"""Gathering through the proofs of a signed zone: its NSEC chain names every name, its NSEC3 chain counts them."""

import asyncio
from collections.abc import Iterable
from dataclasses import dataclass, field
from random import SystemRandom

from legatum.core.dnssec.counting import Count, Guesses, just_behind
from legatum.core.dnssec.denial import MOST_ITERATIONS, parse_nsec, parse_nsec3
from legatum.core.records.name import Name, is_under, name_text
from legatum.core.records.rrset import RRset
from legatum.core.records.rrtype import NS, NSEC, NSEC3, RRSIG, A
from legatum.core.running.progress import tally
from legatum.net.asking.asker import Asker
from legatum.net.asking.reply import Reply

_MOST_NAMES = 200_000
_MOST_QUESTIONS = 5_000  # for counting; each closes up to three gaps
_LEFT_OUT = frozenset((RRSIG, NSEC))
_AT_ONCE = 24


@dataclass
class Walk:
    """``closed``: the chain led back to its beginning, so that no name is missing. ``unanswered``: questions in
    vain."""

    rrsets: list[RRset] = field(default_factory=list)
    names: set[Name] = field(default_factory=set)
    closed: bool = False
    unanswered: int = 0


async def walk(asker: Asker, server: str, origin: Name) -> Walk | None:
    """Along the NSEC chain from the apex, every type of every name asked for. None where there is no chain to walk."""
    found = Walk()
    line = asyncio.Semaphore(_AT_ONCE)
    asking: set[asyncio.Task[None]] = set()
    name, counted = origin, tally()
    counted.begin(f"walking through {name_text(origin)}", unit="names")
    while len(found.names) < _MOST_NAMES:
        link = _link(await asker.ask(server, name, NSEC, dnssec=True), name)
        if link is None and name != origin and (behind := just_behind(name)) is not None:
            # At a cut with a DS some servers refer, and show no NSEC: what denies the name just behind it is the same
            # one.
            link = _link(await asker.ask(server, behind, A, dnssec=True), name)
        if link is None:
            if name == origin:
                return None
            break
        following, types = link
        found.names.add(name)
        counted.done = len(found.names)
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


def _link(reply: Reply, name: Name) -> tuple[Name, frozenset[int]] | None:
    rrset = reply.find(NSEC) or next(
        (each for each in reply.authority if each.rtype == NSEC and each.name == name), None
    )
    return parse_nsec(rrset.rdatas[0]) if rrset is not None else None


async def _fill(
    asker: Asker, server: str, name: Name, types: Iterable[int], found: Walk, line: asyncio.Semaphore
) -> None:
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


async def count(asker: Asker, server: str, origin: Name) -> Count | None:
    """How many names there are: hashes are drawn until each gap of the NSEC3 chain has been shown. None where there is
    no such chain."""
    found: Count | None = None
    guesses = Guesses(origin, SystemRandom())
    for _ in range(_MOST_QUESTIONS):
        name = guesses.next(found)
        if name is None:
            break
        reply = await asker.ask(server, name, A, dnssec=True)
        shown = [parsed for each in reply.authority if each.rtype == NSEC3 and (parsed := parse_nsec3(each))]
        if not shown:
            if found is None:
                return None
            continue
        if shown[0].iterations > MOST_ITERATIONS:
            return None  # each name would cost so many hashes: the zone is not counted by them (RFC 9276 s3.2)
        found = found or Count(shown[0].salt, shown[0].iterations)
        found.questions += 1
        for each in shown:
            found.take(each)
        if found.closed:
            break
    return found
