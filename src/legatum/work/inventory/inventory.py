"""The whole inventory: every domain looked at, registrations beside, copies that differ, and what changed since the
last time."""

import asyncio
from collections.abc import AsyncGenerator, AsyncIterator, Iterable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

import msgspec

from legatum.core.house.inventory import Item, Side
from legatum.core.records.name import Name, name_text, parse_domain
from legatum.core.records.rrtype import SOA, type_text
from legatum.core.records.soa import parse_soa
from legatum.core.running.fault import Fault, OutsideFault
from legatum.core.running.progress import tally
from legatum.core.zones.difference import zone_differences
from legatum.core.zones.signer import without_signing
from legatum.net.asking.pace import Pace
from legatum.net.clock import ShiftedClock
from legatum.net.keeping.evidence import Evidence
from legatum.services.provider import server_names
from legatum.services.registrar import Registration
from legatum.settings.document import Settings
from legatum.work.inventory.look import Looker
from legatum.work.look.registration import look_at_rdap
from legatum.work.registry.held import is_own
from legatum.work.run_context import RunContext, outside_of

_MOST_TOLD = 4  # differences of two copies
_BATCH = 200  # domains that are looked at before registries are asked for all of them


async def our_sides(context: RunContext) -> tuple[tuple[Side, ...], list[str]]:
    """Providers and secondaries with the addresses of their servers, each set of names once; who could not be found, in
    words."""
    walker, found, left_out = context.walker(), list[Side](), list[str]()
    sections = {
        **context.providers,
        **{name: each for name, each in context.settings.secondaries.items() if name not in context.providers},
    }
    for name, section in sections.items():
        servers = server_names(section.servers)
        if any(set(each.servers) == set(map(name_text, servers)) for each in found):
            continue
        addresses = await asyncio.gather(*map(walker.addresses, servers))
        found.append(Side(name, {name_text(each): some for each, some in zip(servers, addresses, strict=True)}))
        if not any(addresses):
            left_out.append(f"what {name} serves: none of its servers has an address")
    return tuple(found), left_out


@dataclass(frozen=True)
class Order:
    """For workers elsewhere: how to ask, and whom."""

    settings: bytes
    sides: tuple[Side, ...]


def look_there(order: Order, part: Sequence[Name]) -> tuple[list[Item], dict[tuple[str, str], bytes]]:
    """In a worker: the questions to servers; accounts are no matter of its."""

    async def looked() -> tuple[list[Item], dict[tuple[str, str], bytes]]:
        settings = msgspec.json.decode(order.settings, type=Settings)
        context = outside_of(
            settings, Path(), ShiftedClock(settings.clock.ahead if settings.clock is not None else 0.0)
        )
        context.asker.pace = Pace(settings.network.rate)
        try:
            looker = Looker(context.asker, context.walker(), order.sides)
            return list(await asyncio.gather(*map(looker.look, part))), looker.soa
        finally:
            context.asker.close()

    return asyncio.run(looked())


Parts = AsyncIterator[tuple[list[Item], dict[tuple[str, str], bytes]]]


async def look_here(context: RunContext, sides: tuple[Side, ...], domains: Iterable[Name], at_once: int) -> Parts:
    """By this process, in parts of a list."""
    context.asker.pace = Pace(context.settings.network.rate)
    walker, waiting = context.walker(), list(domains)
    for at in range(0, len(waiting), _BATCH):
        looker, room = Looker(context.asker, walker, sides), asyncio.Semaphore(at_once)

        async def one(domain: Name, looker: Looker = looker, room: asyncio.Semaphore = room) -> Item:
            async with room:
                return await looker.look(domain)

        yield list(await asyncio.gather(*map(one, waiting[at : at + _BATCH]))), looker.soa


async def take_inventory(context: RunContext, parts: Parts, count: int) -> AsyncGenerator[Item, None]:
    """Items as they come, with what the accounts hold of them. ``count``: how many there will be."""
    counted = tally()
    counted.begin("taking the inventory", count, "domains")
    async for items, soa in parts:
        held = await _registrations(context, [each.domain for each in items])
        for item in items:
            counted.done += 1
            whole = await _with_registration_data(context, _with_registration(item, held))
            yield await _with_copies(context, whole, soa)


@dataclass
class _Held:
    """``found``: domain → registrar and what it has; ``asked``: who was; ``failed``: who did not tell, and why."""

    found: dict[str, list[tuple[str, Registration]]]
    asked: list[str]
    failed: dict[str, dict[str, str]]


async def _registrations(context: RunContext, domains: Sequence[str]) -> _Held:
    """By every account that can be asked."""
    held = _Held({each: [] for each in domains}, [], {each: {} for each in domains})
    for name in context.registrars:
        try:
            account = context.registrar(name)
            if account.by_hand:
                continue
            held.asked.append(name)
            async for domain, said in account.registrations([parse_domain(each) for each in domains]):
                text = name_text(domain)
                if isinstance(said, Registration):
                    if is_own(account, said):
                        held.found[text].append((name, said))
                elif not _says_no(said):
                    held.failed[text][name] = said.message
        except OutsideFault as fault:
            for each in domains:
                held.failed[each].setdefault(name, fault.message)
    return held


def _says_no(fault: Fault) -> bool:
    """The registry has no such domain, or it is somebody else's (RFC 5730 s3: 2303, 2201)."""
    return getattr(fault, "code", 0) in (2303, 2201)


def _with_registration(item: Item, held: _Held) -> Item:
    found, failed = held.found[item.domain], held.failed[item.domain]
    asked = tuple(each for each in held.asked if each not in failed)
    unknown = (*item.unknown, *(f"whether {name} has it: {why}" for name, why in failed.items()))
    expires = min((each.expires for _, each in found if each.expires), default="")
    statuses = tuple(dict.fromkeys(status for _, each in found for status in each.statuses if status != "ok"))
    return replace(
        item,
        accounts=tuple(name for name, _ in found),
        asked=asked,
        expires=expires,
        statuses=statuses,
        unknown=unknown,
    )


async def _with_registration_data(context: RunContext, item: Item) -> Item:
    """Of one that no account has which can be asked: what is said to everybody. An account with only a form may have
    it."""
    forms = [name for name in context.registrars if context.registrar(name).by_hand]
    if item.accounts or item.unknown or not (item.served or item.delegation):
        return item
    view, why = await look_at_rdap(context, Evidence(), parse_domain(item.domain))
    if view is None:
        doubt = f"whether {' or '.join(forms)} has it: {why or 'nobody can be asked'}"
        return replace(item, unknown=(doubt,)) if forms else item
    own = tuple(each for each in forms if each.lower() == view.registrar.lower())
    return replace(item, accounts=own, by_data=view.registrar, expires=view.expires, statuses=view.statuses)


async def _with_copies(context: RunContext, item: Item, soa: dict[tuple[str, str], bytes]) -> Item:
    """Of two who serve it: whether their contents differ. A secondary with the same SOA record has a copy; a provider
    may have anything under it."""
    said = {side: soa[item.domain, side] for side in item.served}
    if len(set(said.values())) < 2 and sum(side in context.providers for side in said) < 2:
        return item
    zones, domain = {}, parse_domain(item.domain)
    for side in said:
        if side in context.providers:
            try:
                zones[side] = without_signing(await context.provider(side).fetch(domain))
            except OutsideFault as fault:
                return replace(item, unknown=(*item.unknown, f"whether the copies are the same: {fault.message}"))
    if len(zones) < 2:
        behind = sorted(said, key=lambda side: parse_soa(said[side]).serial)[0]
        return replace(item, differ=(f"{behind} has an older serial",))
    (_, first), *others = zones.items()
    differ = [
        each
        for _, other in others
        for each in zone_differences(first, other)
        if not each.expected and each.rtype != SOA
    ]
    told = list(dict.fromkeys(f"{name_text(each.name)} {type_text(each.rtype)}" for each in differ))
    more = [f"and {len(told) - _MOST_TOLD} more"] if len(told) > _MOST_TOLD else []
    return replace(item, differ=(*told[:_MOST_TOLD], *more))
