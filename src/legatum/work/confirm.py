"""Confirming: a survey, and the expected records asked for at every server and resolver."""

import asyncio
from collections.abc import Sequence

from legatum.core.expected import Expected
from legatum.core.name import Name, name_text
from legatum.core.picture import Picture
from legatum.core.rrset import RRset
from legatum.core.verdict import RecordView, Verdict, agreement
from legatum.net.resolver import ask_resolver
from legatum.work.look.wanted import Wanted
from legatum.work.outside import Outside
from legatum.work.survey import Survey, survey


async def confirm(
    outside: Outside, domain: Name, expected: Expected, registrar: str | None = None, wanted: Wanted | None = None
) -> tuple[Verdict, Survey]:
    """One verdict, and what it rests on. Raises as :func:`~legatum.work.survey.survey`."""
    found = await survey(outside, domain, registrar, wanted)
    resolvers = wanted is None or wanted.resolvers
    records = await ask_records(outside, found.picture, expected.records, resolvers)
    return agreement(found.picture, expected, records), found


async def ask_records(outside: Outside, picture: Picture, wanted: Sequence[RRset], resolvers: bool) -> list[RecordView]:
    """What every serving address, and every resolver, says of each record."""

    async def child(who: str, address: str, each: RRset) -> RecordView:
        reply = await outside.asker.ask(address, each.name, each.rtype)
        return RecordView("child", who, each.name, each.rtype, reply.find(each.rtype), reply.outcome)

    async def resolver(who: str, name: str, each: RRset) -> RecordView:
        reply = await ask_resolver(outside.asker, outside.resolvers()[name], each.name, each.rtype)
        return RecordView("resolver", who, each.name, each.rtype, reply.find(each.rtype), reply.outcome)

    asked = [child(f"{name_text(view.server)} ({view.address})", view.address, each) for each in wanted for view in picture.servers]
    if resolvers:
        places = outside.resolvers()
        asked += [resolver(f"{name} ({place.address})", name, each) for each in wanted for name, place in places.items()]
    return list(await asyncio.gather(*asked))
