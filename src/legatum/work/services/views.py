"""A domain's names from two of the settings' views, each asked from its own source, of its own servers and
resolvers."""

import asyncio
import random
from collections.abc import AsyncIterator, Iterable, Mapping
from contextlib import asynccontextmanager
from dataclasses import dataclass

from legatum.core.agreement.split import Row, Split, split_of
from legatum.core.observation.answers import OfZone, Said, questions_about
from legatum.core.records.name import Name, name_text, parse_name
from legatum.core.records.rrset import targets
from legatum.core.records.rrtype import AAAA, MX, SOA, SRV, TXT, A
from legatum.core.records.usual import APEX_TYPES, USUAL
from legatum.core.running.fault import BadInput, OutsideFault
from legatum.core.zones.zone import Zone, fresh_zone
from legatum.net.asking.asker import Asker
from legatum.net.asking.walk import referral
from legatum.net.side_by_side import side_by_side
from legatum.settings.document import View
from legatum.work.run_context import RunContext
from legatum.work.zones.compare import said_by

PUBLIC = "the world"
"""The view that needs no settings: the servers that the parent hands out."""
_AT_ONCE = 40


@dataclass(frozen=True)
class Compared:
    """``rows``: every name and type that somebody has; ``parties``: view → who was asked."""

    domain: Name
    inside: str
    outside: str
    rows: tuple[Row, ...]
    parties: Mapping[str, tuple[str, ...]]
    questions: int


@dataclass(frozen=True)
class _Party:
    name: str
    address: str
    recursive: bool


async def compare_views(
    context: RunContext, domain: Name, inner: str, outer: str, zone: Zone | None = None, before: Zone | None = None
) -> Compared:
    """``zone``: whose names are asked for, those that zones usually have without one; ``before``: as it was before a
    change.

    Raises :class:`BadInput` for a view that the settings do not have.
    """
    async with _asked_from(context, inner) as here, _asked_from(context, outer) as there:
        sides = {
            inner: (here, await _parties(context, here, domain, inner)),
            outer: (there, await _parties(context, there, domain, outer)),
        }
        asked = questions_about(zone) if zone is not None else _usual_questions(domain)
        wanted = [
            each for each in asked if each[1] != SOA
        ]  # a zone's serial is each server's own affair, and no visitor's
        of_zone = OfZone(zone if zone is not None else fresh_zone(domain, [domain]))

        async def one(question: tuple[Name, int]) -> Row:
            given = [await _said(asker, parties, question, of_zone) for asker, parties in sides.values()]
            old = before.get(*question) if before is not None else None
            return split_of(question, given[0], given[1], old, context.settings.network.home)

        rows = await side_by_side(one, wanted, _AT_ONCE)
    told = tuple(each for each in rows if each.inside.records or each.outside.records or each.split.is_fault)
    return Compared(
        domain,
        inner,
        outer,
        _without_unknown(told),
        {name: tuple(p.name for p in each[1]) for name, each in sides.items()},
        len(wanted),
    )


def _without_unknown(rows: tuple[Row, ...]) -> tuple[Row, ...]:
    """Where nobody of a view answers at all, that is told once, by the first name."""
    heard = [each for each in rows if each.split != Split.UNKNOWN]
    silent = [each for each in rows if each.split == Split.UNKNOWN]
    return tuple(heard + (silent if heard else silent[:1]))


@asynccontextmanager
async def _asked_from(context: RunContext, view: str) -> AsyncIterator[Asker]:
    """An asker of the view's own."""
    source = "" if view == PUBLIC else _section(context, view).source
    asker = Asker(context.asker.route.from_source(source), context.clock, context.asker.patience, random.SystemRandom())
    asker.heard.extend(context.asker.heard)
    try:
        yield asker
    finally:
        asker.close()


def _section(context: RunContext, view: str) -> View:
    """Raises :class:`BadInput`."""
    found = context.settings.views.get(view)
    if found is None:
        known = ", ".join(context.settings.views) or "none"
        raise BadInput(
            f"no view '{view}' in the settings", f"views: {known}; [views.{view}] makes one, see docs/settings.md"
        )
    return found


async def _parties(context: RunContext, asker: Asker, domain: Name, view: str) -> list[_Party]:
    """Raises :class:`OutsideFault` where there is nobody to ask."""
    if view != PUBLIC:
        section = _section(context, view)
        found = [_Party(f"server {each}", each, False) for each in section.servers]
        found += [_Party(f"resolver {each}", each, True) for each in section.resolvers]
        if found:
            return found
    walker = context.walker()
    cut, reply = await walker.delegation_of(domain)
    ns = referral(cut.zone, reply) if reply is not None else None
    hosts = await asyncio.gather(*(walker.addresses(host) for host in targets(ns)))
    addresses = dict.fromkeys(address for each in hosts for address in each)
    if not addresses:
        raise OutsideFault(
            f"{name_text(domain)}: there is nobody to ask",
            f"is the domain delegated? `legatum survey {name_text(domain)}` says",
        )
    return [_Party(f"server {each}", each, False) for each in addresses]


async def _said(
    asker: Asker, parties: Iterable[_Party], question: tuple[Name, int], of_zone: OfZone
) -> dict[str, Said]:
    """What each of a view says; of resolvers what they were given counts as much."""
    parties = list(parties)
    replies = await asyncio.gather(*(asker.ask(each.address, *question, recursion=each.recursive) for each in parties))
    return {
        each.name: said_by(of_zone.origin, of_zone, reply, resolver=each.recursive)
        for each, reply in zip(parties, replies, strict=True)
    }


def _usual_questions(domain: Name) -> list[tuple[Name, int]]:
    """What zones usually have, for want of a list."""
    asked = dict.fromkeys((domain, rtype) for rtype in APEX_TYPES if rtype in (A, AAAA, MX, TXT))
    for rtypes, names in USUAL.values():
        asked |= dict.fromkeys(
            (parse_name(name, domain), rtype)
            for name in names.split()
            for rtype in rtypes
            if rtype in (A, AAAA, TXT, SRV)
        )
    return list(asked)
