"""Confirming: a survey, and the expected records asked for at every server and resolver."""

import asyncio
from collections.abc import Sequence

from legatum.core.expected import Expected
from legatum.core.name import Name, name_text
from legatum.core.picture import Picture, ServerView
from legatum.core.rrset import RRset
from legatum.core.soundness import Given, questions
from legatum.core.verdict import RecordView, Verdict, agreement
from legatum.net.reply import Reply
from legatum.net.resolver import ResolverPlace, ask_resolver
from legatum.work.look.wanted import Wanted
from legatum.work.outside import Outside
from legatum.work.survey import Survey, survey


async def confirm(
    outside: Outside, domain: Name, expected: Expected, registrar: str | None = None, wanted: Wanted | None = None
) -> tuple[Verdict, Survey]:
    """One verdict, and what it rests on. Where records, a serial or a DS alone are expected nothing else is looked into; else the domain is
    to be sound in itself too. Raises as :func:`~legatum.work.survey.survey`."""
    found = await survey(outside, domain, registrar, wanted)
    resolvers = wanted is None or wanted.resolvers
    narrow = expected.ns is None and not (expected.ds is None and expected.serial is None and not expected.records)
    records, given = await asyncio.gather(
        ask_records(outside, found.picture, expected.records, resolvers),
        _nothing() if narrow else ask_for_visitors(outside, found.picture, resolvers),
    )
    return agreement(found.picture, expected, records, given, not_looked_at(outside, found.picture, resolvers, narrow)), found


async def _nothing() -> None:
    return None


async def ask_for_visitors(outside: Outside, picture: Picture, resolvers: bool) -> list[Given]:
    """What every serving address, and every resolver, gives for what visitors come for, signatures and all."""

    async def child(view: ServerView, name: Name, rtype: int) -> Given:
        reply = await outside.asker.ask(view.address, name, rtype, dnssec=True)
        return _given("child", f"{name_text(view.server)} ({view.address})", view.address, reply)

    async def resolver(who: str, place: ResolverPlace, name: Name, rtype: int) -> Given:
        return _given("resolver", f"{who} ({place.address})", place.address, await ask_resolver(outside.asker, place, name, rtype))

    wanted = questions(picture.domain)
    asked = [child(view, *key) for key in wanted for view in picture.serving]
    if resolvers:
        asked += [resolver(who, place, *key) for key in wanted for who, place in outside.resolvers().items()]
    return list(await asyncio.gather(*asked))


def _given(party: str, who: str, address: str, reply: Reply) -> Given:
    return Given(
        party, who, address, reply.name, reply.rtype, reply.outcome, reply.rcode, reply.authoritative, reply.answer, reply.authority
    )


def not_looked_at(outside: Outside, picture: Picture, resolvers: bool, narrow: bool) -> list[str]:
    """What a verdict does not speak of, in words."""
    left = []
    if narrow:
        left.append("everything but what was asked for: without --record, --serial and --ds alone all of it is looked at")
    else:
        left.append("names other than the domain itself, its mail and www")
    if not resolvers or not picture.resolvers:
        left.append("what resolvers say (none was asked)")
    elif picture.ds and not any(view.authenticated for view in picture.resolvers):
        left.append("what validating resolvers say (none of the settings' was seen to validate)")
    if picture.ds:
        left.append(f"the chain of trust above {name_text(picture.parent_zone)}")
    if not picture.registrations:
        left.append(f"the registration ({picture.rdap_why or 'no account and no RDAP'})")
    if not outside.asker.patience.ipv6:
        left.append("what servers say over IPv6")
    return [*left, *picture.not_known, "how it looks from other networks"]


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
