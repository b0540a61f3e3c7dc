"""Confirming: a survey, and the expected records asked for at every server and resolver."""

import asyncio
from collections.abc import Sequence
from dataclasses import replace

from legatum.core.agreement.expected import Expected
from legatum.core.agreement.soundness import Given, questions, varying
from legatum.core.agreement.variety import Sort, Variety, members
from legatum.core.agreement.verdict import RecordView, Verdict, agreement
from legatum.core.observation.observation import Observation
from legatum.core.observation.unseen import unseen
from legatum.core.records.name import Name, name_text
from legatum.core.records.rrset import RRset, targets
from legatum.core.records.rrtype import CNAME
from legatum.net.asking.reply import Reply
from legatum.net.asking.resolver import ResolverPlace, ask_resolver
from legatum.work.look.asking.answers import ask_servers, given
from legatum.work.look.asking.wanted import Wanted
from legatum.work.look.variety import look_at_variety
from legatum.work.run_context import RunContext
from legatum.work.verdicts.survey import Survey, survey, with_service

_LONGEST_CHAIN = 8


async def confirm(
    context: RunContext, domain: Name, expected: Expected, registrar: str | None = None, wanted: Wanted | None = None,
    service: str | None = None,
) -> tuple[Verdict, Survey]:  # fmt: skip
    """One verdict, and what it rests on. ``service``: the services behind the names too, and what they were before, as
    a place, or empty. Where records, a serial or a DS alone are expected nothing else is looked into; else the domain
    is to be sound in itself too. Raises as :func:`~legatum.work.verdicts.survey.survey`."""
    found = await survey(context, domain, registrar, wanted)
    resolvers = wanted is None or wanted.resolvers
    narrow = expected.ns is None and not (expected.ds is None and expected.serial is None and not expected.records)
    records, given = await asyncio.gather(
        ask_records(context, found.observation, expected.records, resolvers),
        _nothing() if narrow else ask_for_visitors(context, found.observation, resolvers),
    )
    left, varieties = (
        [*found.not_looked_at, *not_looked_at(context, found.observation, narrow)],
        await _varieties(context, found.observation, given or ()),
    )
    if service is None:
        left = [*left, "the services behind the names (--service)"]
        return agreement(found.observation, expected, records, given, left, varieties), found
    from legatum.core.service import service_checks

    found = await with_service(context, found, service)
    assert found.service is not None
    verdict = agreement(found.observation, expected, records, given, [*left, *found.service.not_looked_at], varieties)
    return replace(verdict, checks=(*verdict.checks, *service_checks(found.service))), found


async def _varieties(
    context: RunContext, observation: Observation, given: Sequence[Given]
) -> dict[tuple[Name, int], Variety]:
    """Of what not everybody gives alike."""
    addresses = [view.address for view in observation.serving]
    keys = varying(observation, given)
    return dict(
        zip(keys, await asyncio.gather(*(look_at_variety(context, addresses, *key) for key in keys)), strict=True)
    )


async def _nothing() -> None:
    return None


async def ask_for_visitors(context: RunContext, observation: Observation, resolvers: bool) -> list[Given]:
    """What every serving address, and every resolver, gives for what visitors come for, signatures and all."""

    async def resolver(who: str, place: ResolverPlace, name: Name, rtype: int) -> Given:
        return given(
            "resolver", f"{who} ({place.address})", place.address, await ask_resolver(context.asker, place, name, rtype)
        )

    wanted = questions(observation.domain)
    places = context.resolvers().items() if resolvers else ()
    copies = asyncio.gather(*(resolver(who, place, *key) for key in wanted for who, place in places))
    return [*await ask_servers(context, observation, wanted), *await copies]


def not_looked_at(context: RunContext, observation: Observation, narrow: bool) -> list[str]:
    """What a verdict does not speak of, in words."""
    left = []
    if narrow:
        left.append(
            "everything but what was asked for: without --record, --serial and --ds alone all of it is looked at"
        )
    else:
        left.append("names other than the domain itself, its mail and www")
    return [*left, *unseen(observation)]


async def ask_records(
    context: RunContext, observation: Observation, wanted: Sequence[RRset], resolvers: bool
) -> list[RecordView]:
    """What every serving address, and every resolver, says of each record."""

    async def child(who: str, address: str, each: RRset) -> RecordView:
        reply = await context.asker.ask(address, each.name, each.rtype)
        return await _viewed(context, "child", who, each, reply)

    async def resolver(who: str, name: str, each: RRset) -> RecordView:
        reply = await ask_resolver(context.asker, context.resolvers()[name], each.name, each.rtype)
        return await _viewed(context, "resolver", who, each, reply)

    asked = [
        child(f"{name_text(view.server)} ({view.address})", view.address, each)
        for each in wanted
        for view in observation.servers
    ]
    if resolvers:
        places = context.resolvers()
        asked += [
            resolver(f"{name} ({place.address})", name, each) for each in wanted for name, place in places.items()
        ]
    views = list(await asyncio.gather(*asked))
    return await _pooled(context, observation, wanted, views)


async def _pooled(
    context: RunContext, observation: Observation, wanted: Sequence[RRset], views: list[RecordView]
) -> list[RecordView]:
    """Where a server gives a changing part of a set, all that it gave in time stands for what it gives."""
    for each in wanted:
        concerned = [view for view in views if (view.name, view.rtype) == (each.name, each.rtype)]
        if all(view.rrset is not None and view.rrset.rdatas == each.rdatas for view in concerned):
            continue
        variety = await look_at_variety(context, [view.address for view in observation.serving], each.name, each.rtype)
        if variety.sort not in (Sort.BY_CHANCE, Sort.BOTH):
            continue
        views = [_with_pool(variety, view) if view in concerned else view for view in views]
    return views


def _with_pool(variety: Variety, view: RecordView) -> RecordView:
    """A resolver that has a part of what the servers give has what it was given."""
    given = members([view.rrset]) if view.rrset is not None else frozenset()
    server = next((each for each in variety.servers if f"({each})" in view.who), None)
    whole = frozenset(member for each in variety.servers for member in variety.of(each))
    pool = variety.of(server) if server is not None else whole if given and given <= whole else given
    rdatas = tuple(sorted(rdata for name, rtype, rdata in pool if rtype == view.rtype))
    if view.rrset is None or not rdatas:
        return view
    return replace(view, rrset=view.rrset._replace(rdatas=rdatas), outcome=f"{view.outcome}; {variety.text}")


async def _viewed(context: RunContext, party: str, who: str, wanted: RRset, reply: Reply) -> RecordView:
    """What was said of a record, by way of an alias too: where that leads elsewhere, what the servers there say
    counts."""
    found, name = reply.find(wanted.rtype), wanted.name
    for _ in range(_LONGEST_CHAIN):
        alias = reply.find(CNAME, name) if found is None and wanted.rtype != CNAME else None
        if alias is None:
            break
        name = targets(alias)[0]
        found = reply.find(wanted.rtype, name)
    if found is None and name != wanted.name:
        found = (await context.walker().lookup(name, wanted.rtype)).rrset
    outcome = reply.outcome if name == wanted.name else f"an alias that leads to {name_text(name)}"
    return RecordView(
        party, who, wanted.name, wanted.rtype, found._replace(name=wanted.name) if found else None, outcome
    )
