"""Putting a zone at a provider: what will change, the change, and proof on every server."""

import asyncio
from collections.abc import Iterable
from dataclasses import dataclass, replace

from legatum.core.moves.outcome import Outcome
from legatum.core.observation.answers import OfZone
from legatum.core.records.name import Name, name_text
from legatum.core.records.presentation import rdata_texts
from legatum.core.records.rrset import targets
from legatum.core.records.rrtype import SOA, type_text
from legatum.core.records.soa import negative_ttl, parse_soa, serial_by_rule, serial_is_newer
from legatum.core.running.fault import GateShut, OutsideFault
from legatum.core.zones.answering import ServedZone, answer_from
from legatum.core.zones.changing.publication import Publication, RRsetKey, for_provider, new_publication
from legatum.core.zones.difference import Difference, difference_text, zone_differences
from legatum.core.zones.particular import particulars
from legatum.core.zones.signer import OWN
from legatum.core.zones.zone import Zone, fresh_zone
from legatum.net.zones.signed import KeyFault
from legatum.services.provider import Provider
from legatum.work.effect import carried_out
from legatum.work.memory import note_after, note_before, note_seen_at
from legatum.work.run_context import RunContext

_MOST_KEPT = 200  # lines of old → new in the journal
_MOST_ASKED = 200  # changed RRsets that every server is asked for: the serial and what was read back speak for the rest
# seconds that a server may take to sign what was sent, or answer from what it kept; how often one looks
_SETTLING, _OFTEN = 30.0, 2.0


@dataclass(frozen=True)
class Published:
    """From when on the first and all servers had it (seconds since 1970), the serial, and the addresses that showed it.

    ``how``: in which way nobody else's change could be overwritten, empty where nothing was sent; ``moved_on``: what
    somebody else has changed in the zone meanwhile.
    """

    first: float
    all: float
    serial: int
    addresses: tuple[str, ...]
    how: str = ""
    moved_on: tuple[Difference, ...] = ()


def next_by_rule(context: RunContext, current: Zone) -> int:
    """The serial after the present one, by the house's rule."""
    return serial_by_rule(context.settings.house.serial, current.soa.serial, context.clock.now())


async def plan(
    context: RunContext, provider: Provider, zone: Zone, ns_ttl: int | None = None, servers: Iterable[Name] = ()
) -> Publication:
    """What publishing ``zone`` would change; nothing is made yet. ``servers`` as in :func:`for_provider`. Raises as
    :func:`present_at` does."""
    context.ask_for(zone)
    present = await present_at(context, provider, zone.origin)
    current = present or fresh_zone(zone.origin, provider.servers)
    wanted = for_provider(zone, current, provider, next_by_rule(context, current), ns_ttl, servers)
    if present is None:
        return new_publication(provider.name, wanted)
    return Publication.between(provider.name, current, wanted)


async def present_at(context: RunContext, provider: Provider, domain: Name) -> Zone | None:
    """The zone at a provider, None where it is not there and the provider can make it.

    Raises :class:`GateShut` where only a person can make it, and :class:`OutsideFault` where it is there and cannot be
    read, where nobody answers, or where the key is to blame.
    """
    try:
        return await provider.fetch(domain)
    except KeyFault:
        raise
    except OutsideFault as fault:
        servers = await context.addresses(provider.servers)
        asked = (context.asker.ask(address, domain, SOA) for each in servers.values() for address in each)
        replies = await asyncio.gather(*asked)
        if not any(each.answered for each in replies) or any(each.authoritative and each.find(SOA) for each in replies):
            raise
        if provider.makes_zones:
            return None
        raise GateShut(
            f"{provider.name} does not have the zone {name_text(domain)} ({fault.message})",
            f"create it at {provider.name}, or set `create` for it in the settings",
        ) from fault


async def ready(context: RunContext, publication: Publication) -> Publication:
    """The publication of a zone that is there: a new one is made first, and then it is known what the provider writes
    itself."""
    if not publication.is_new:
        return publication
    provider, zone = context.provider(publication.place), publication.wanted
    await create_zone(context, provider, zone.origin)
    current = await _once_made(context, provider, zone.origin)
    wanted = for_provider(zone, current, provider, next_by_rule(context, current), servers=targets(zone.apex_ns))
    return Publication.between(provider.name, current, wanted)


async def create_zone(context: RunContext, provider: Provider, domain: Name) -> None:
    """An empty zone, in the journal."""

    async def change() -> str:
        await provider.create(domain)
        return f"{provider.name} was asked for it, and said yes"

    await carried_out(context, domain, "create", f"the zone made at {provider.name}", change)


async def end_zone(context: RunContext, provider: Provider, domain: Name) -> bool:
    """The zone is served no longer, in the journal; False where only a person can end it."""
    ended = []

    async def change() -> str:
        ended.append(await provider.end(domain))
        return (
            f"{provider.name} was asked for it, and said yes"
            if ended[0]
            else "there is no command for it: nothing was done"
        )

    await carried_out(context, domain, "end", f"the zone ended at {provider.name}", change)
    return ended[0]


async def _once_made(context: RunContext, provider: Provider, domain: Name) -> Zone:
    """A zone that has just been made: a server may take a moment to load it. Raises :class:`OutsideFault`."""
    given_up = context.clock.now() + _SETTLING
    while True:
        try:
            return await provider.fetch(domain)
        except OutsideFault:
            if context.clock.now() >= given_up:
                raise
        await context.clock.until(min(given_up, context.clock.now() + min(context.poll, _OFTEN)))


async def carry_out(context: RunContext, publication: Publication) -> Published:
    """Makes the change, reads it back, waits until every server has it, and asks every server for what changed. A new
    zone is made first.

    Raises :class:`OutsideFault`, saying what is missing.
    """
    publication = await ready(context, publication)
    first = context.clock.now()
    how = await context.provider(publication.place).apply(publication.current, publication.wanted)
    return replace(await prove(context, publication), first=first, how=how)


async def prove(
    context: RunContext, publication: Publication, also: Iterable[RRsetKey] = (), patience: float | None = None
) -> Published:
    """Reads back what was changed, waits until every server has the serial that is served with it, and asks every
    server for it.

    ``also``: names and types that must be as wanted although nothing changed there; ``patience``: seconds instead of
    the house's. Raises :class:`OutsideFault`. What is not as wanted elsewhere in the zone, somebody else has changed
    meanwhile.
    """
    provider, wanted = context.provider(publication.place), publication.wanted
    keys = dict.fromkeys((*publication.keys, *(key for key in also if key[1] not in OWN)))
    given_up = context.clock.now() + (_SETTLING if patience is None else patience)
    while True:  # who signs what was sent may serve it a moment later
        served = await provider.fetch(wanted.origin)
        differing = [
            each for each in zone_differences(served, wanted) if (each.name, each.rtype) != (wanted.origin, SOA)
        ]
        left = [each for each in differing if (each.name, each.rtype) in keys]
        if not left or context.clock.now() >= given_up:
            break
        await context.clock.until(min(given_up, context.clock.now() + min(context.poll, _OFTEN)))
    if left:
        listed = ", ".join(f"{name_text(each.name)} {type_text(each.rtype)}" for each in left[:5])
        known = particulars(wanted, [(each.name, each.rtype) for each in left])
        raise OutsideFault(
            f"{provider.name} said yes, but {len(left)} RRsets are not as sent: "
            f"{listed}{''.join(f'; {each}' for each in known)}",
            "does the provider take every record type? `legatum compare PROVIDER FILE` shows what it serves",
        )
    addresses = await context.addresses_of(provider.servers)

    async def missing() -> str:
        return "; ".join(await _behind(context, addresses, served))

    began = context.clock.now()
    seen = await context.until_seen(missing, f"{name_text(wanted.origin)} at {provider.name}", patience=patience)
    moved_on = tuple(each for each in differing if each.rtype not in OWN)
    await _answers(context, provider, addresses, served, keys)
    note_seen_at(context, publication.place, served, keys if len(keys) <= _MOST_ASKED else ())
    return Published(began, seen, served.soa.serial, addresses, "", moved_on)


async def _answers(
    context: RunContext, provider: Provider, addresses: tuple[str, ...], served: Zone, keys: Iterable[RRsetKey]
) -> None:
    """Raises :class:`OutsideFault` where a server with the new serial goes on answering otherwise: some keep answers
    for a while."""
    keys = list(keys)
    given_up = context.clock.now() + _SETTLING
    while wrong := await wrong_answers(context, addresses, served, keys):
        if context.clock.now() >= given_up:
            raise OutsideFault(
                f"{provider.name} said yes, but its servers do not answer so: "
                f"{'; '.join(wrong[:4])}{' …' if wrong[4:] else ''}",
                "does the provider take every record type, and is this zone the one that is served?",
            )
        await context.clock.until(min(given_up, context.clock.now() + min(context.poll, _OFTEN)))


async def wrong_answers(
    context: RunContext, addresses: tuple[str, ...], wanted: Zone, keys: Iterable[RRsetKey]
) -> list[str]:
    """What servers answer otherwise than a server of ``wanted`` would, for some names and types; SOA and names handed
    on left out."""
    served = {wanted.origin: ServedZone(wanted)}
    expected = {
        key: answer.answer
        for key in list(keys)[:_MOST_ASKED]
        if key != (wanted.origin, SOA) and (answer := answer_from(served, *key)).authoritative
    }
    asked = [(address, *key) for key in expected for address in addresses]
    replies = await asyncio.gather(*(context.asker.ask(*each) for each in asked))
    found, own = [], OfZone(wanted)
    for (address, name, rtype), reply in zip(asked, replies, strict=True):
        given = own(reply.answer)
        if not reply.answered or given != own(expected[name, rtype]):
            said = " | ".join(text for each in given for text in rdata_texts(each)) or reply.outcome
            found.append(f"{address} {name_text(name)} {type_text(rtype)}: {said}")
    return found


async def publish(context: RunContext, publication: Publication) -> Published:
    """:func:`carry_out` by itself, outside a move."""
    name, done = publication.place, []
    changed = [(each.left, each.right) for each in publication.differences if each.rtype != SOA]

    async def change() -> Outcome:
        negative = None if publication.is_new else negative_ttl(publication.current.soa_rrset)
        note_before(context, name, publication.wanted.origin, changed, negative)
        done.append(published := await carry_out(context, publication))
        equal = (
            "contents equal"
            if not published.moved_on
            else f"somebody else has changed {len(published.moved_on)} other RRsets meanwhile"
        )
        note_after(context, name, publication.wanted.origin, changed, published.all)
        words = f"every server of {name} answers with serial {published.serial}; {equal}"
        return Outcome("publish", published.first, published.all, words)

    words = f"publish at {name}: {len(publication.differences)} RRsets change"
    changes = [difference_text(each) for each in publication.differences[:_MOST_KEPT]]
    await carried_out(context, publication.wanted.origin, "publish", words, change, changes)
    return done[0]


async def _behind(context: RunContext, addresses: tuple[str, ...], served: Zone) -> list[str]:
    """What each server that does not have the serial of the primary's zone says instead."""
    replies = await asyncio.gather(*(context.asker.ask(address, served.origin, SOA) for address in addresses))
    behind = []
    for reply in replies:
        soa = reply.find(SOA) if reply.authoritative else None
        if soa is None:
            behind.append(f"{reply.server}: {reply.outcome}")
        elif serial_is_newer(served.soa.serial, serial := parse_soa(soa.rdatas[0]).serial):
            behind.append(f"{reply.server}: still serial {serial}, not {served.soa.serial}")
    return behind
