"""A second provider: told of a zone, the same as at the first, and told that it is over."""

import asyncio
from collections.abc import Collection, Sequence
from dataclasses import dataclass

from legatum.core.observation.hosts import ServerSerial
from legatum.core.records.name import Name, name_text, parse_name
from legatum.core.records.rrtype import SOA
from legatum.core.records.soa import parse_soa, serial_is_newer
from legatum.core.running.fault import BadInput, GateShut, OutsideFault
from legatum.core.zones.catalog import with_members, without_member
from legatum.core.zones.difference import difference_text, zone_differences
from legatum.core.zones.signer import OWN
from legatum.core.zones.zone import Zone
from legatum.net.zones.notify import send_notify
from legatum.services.command import run_command
from legatum.services.provider import Provider, server_names
from legatum.settings.document import SecondaryProvider
from legatum.work.effect import carried_out
from legatum.work.run_context import RunContext
from legatum.work.zones.publish import next_by_rule


@dataclass(frozen=True)
class Seconding:
    """``primary``: who the zone is changed at; ``name``: the second provider, ``servers``: its NS names."""

    domain: Name
    primary: Provider
    name: str
    section: SecondaryProvider
    servers: tuple[Name, ...]


def open_seconding(context: RunContext, domain: Name, primary: str, second: str) -> Seconding:
    """Raises :class:`BadInput` for a second provider that the settings do not have as a secondary."""
    section = context.settings.secondaries.get(second)
    if section is None:
        known = ", ".join(sorted(context.settings.secondaries)) or "none"
        if second in context.providers:
            left, right = primary, second
            raise BadInput(
                f"{second} is a provider with zones of its own, and takes no copies",
                f"whether both have the same: `legatum compare {left} {right} --domain {name_text(domain)}`",
            )
        raise BadInput(f"no secondary '{second}' in the settings", f"under [secondaries] there are: {known}")
    return Seconding(domain, context.provider(primary), second, section, server_names(section.servers))


async def serials_of(context: RunContext, seconding: Seconding) -> list[ServerSerial]:
    """Every address of both providers."""
    parties = {seconding.primary.name: seconding.primary.servers, seconding.name: seconding.servers}
    found = []
    for party, servers in parties.items():
        for server, addresses in (await context.addresses(servers)).items():
            for reply in await asyncio.gather(
                *(context.asker.ask(address, seconding.domain, SOA) for address in addresses)
            ):
                soa = reply.find(SOA) if reply.authoritative else None
                found.append(
                    ServerSerial(party, server, reply.server, parse_soa(soa.rdatas[0]) if soa else None, reply.outcome)
                )
    return found


async def tell(context: RunContext, secondings: Sequence[Seconding]) -> dict[Name, str]:
    """Makes the second provider know of the zones, where it does not: by one change of the catalog for all of them, or
    by its command for each. What was done, by domain."""
    served = await asyncio.gather(*(serves(context, each) for each in secondings))
    said = {each.domain: "it serves the zone already" for each, there in zip(secondings, served, strict=True) if there}
    unknown = [each for each in secondings if each.domain not in said]
    if unknown and unknown[0].section.catalog:
        words = await _enter(context, unknown[0], [each.domain for each in unknown])
        return said | dict.fromkeys((each.domain for each in unknown), words)
    for each in unknown:
        said[each.domain] = await _made(context, each)
    return said


async def serves(context: RunContext, seconding: Seconding) -> bool:
    return all(each.serial is not None for each in await serials_of(context, seconding) if each.party == seconding.name)


async def _enter(context: RunContext, seconding: Seconding, domains: Sequence[Name]) -> str:
    """Into the catalog of this provider."""
    assert seconding.section.catalog is not None
    catalog = parse_name(seconding.section.catalog.rstrip(".") + ".")
    current = await seconding.primary.fetch(catalog)
    wanted = with_members(current, domains, seconding.section.group)
    if wanted == current:
        return f"it is in the catalog {name_text(catalog)} already"
    return (
        f"entered into the catalog {name_text(catalog)}, serial "
        f"{await put_catalog(context, seconding.primary, current, wanted)}"
    )


async def _made(context: RunContext, seconding: Seconding) -> str:
    purpose = f"making {name_text(seconding.domain)} a secondary at {seconding.name}"
    if seconding.section.create:

        async def change() -> str:
            await run_command(seconding.section.create, seconding.domain, purpose, context.command_limit)
            return "made by the command of the settings"

        return (await carried_out(context, seconding.domain, "second", purpose, change)).summary
    raise GateShut(
        f"{seconding.name} does not serve {name_text(seconding.domain)}, and the settings have neither a "
        "catalog nor a command",
        f"make it a secondary there, of {seconding.primary.name}, then go on with the same command",
    )


async def put_catalog(context: RunContext, provider: Provider, current: Zone, wanted: Zone) -> int:
    """A catalog is for secondaries: its own servers need not answer others for it, so it is read back from where it was
    put. Its serial."""
    wanted = wanted.with_serial(next_by_rule(context, current))
    serials = []

    async def change() -> str:
        await provider.apply(current, wanted)
        served = await provider.fetch(wanted.origin)
        if [each for each in zone_differences(served, wanted) if each.rtype != SOA and each.rtype not in OWN]:
            raise OutsideFault(
                f"{provider.name} said yes, but the catalog is not as sent",
                "look at it by hand: `legatum gather CATALOG --from PROVIDER`",
            )
        serials.append(served.soa.serial)
        return f"read back from {provider.name} with serial {served.soa.serial}"

    differing = [each for each in zone_differences(current, wanted) if each.rtype != SOA]
    words = (
        f"the catalog at {provider.name}: "
        f"{'; '.join(map(difference_text, differing[:4]))}{' …' if differing[4:] else ''}"
    )
    await carried_out(context, wanted.origin, "catalog", words, change)
    return serials[0]


async def in_step(context: RunContext, seconding: Seconding, among: Collection[str] | None = None) -> tuple[int, int]:
    """Waits until every server of the second provider has the first one's serial; the serial, and how many took a
    NOTIFY of ours.

    ``among``: the addresses of the second provider that are waited for, if not all. Raises :class:`OutsideFault` that
    says who is behind.
    """
    told = [await send_notify(context.asker, address, seconding.domain) for address in seconding.section.notify]
    serial = (await seconding.primary.fetch(seconding.domain)).soa.serial

    async def behind() -> str:
        found = await serials_of(context, seconding)
        waited = [each for each in found if among is None or each.party != seconding.name or each.address in among]
        late = [each for each in waited if each.serial is None or serial_is_newer(serial, each.serial)]
        return "; ".join(
            f"{each.address} ({each.party}): {each.said if each.serial is None else f'serial {each.serial}'}"
            for each in late[:4]
        )

    await context.until_seen(behind, f"serial {serial} of {name_text(seconding.domain)} at {seconding.name}")
    return serial, sum(told)


async def own_zone(context: RunContext, seconding: Seconding, primary: Name) -> list[tuple[str, str]]:
    """Addresses that serve a zone of their own of that name, and what to do: a copy has the SOA of what it is a copy
    of, and what has another primary name in it will never follow."""
    return [
        (
            f"{each.address} of {seconding.name} serves {name_text(seconding.domain)} as a zone of its own: "
            "its SOA names "
            f"{name_text(each.soa.primary)}, not {name_text(primary)}",
            f"have that zone ended there, so that {seconding.name} can serve a copy of {seconding.primary.name}'s",
        )
        for each in await serials_of(context, seconding)
        if each.party == seconding.name and each.soa is not None and each.soa.primary != primary
    ]


def follower_of(context: RunContext, zone: Name, primary: str, place: str) -> Seconding:
    """A place that takes a copy of the zone from another. Raises :class:`BadInput` for one that the settings do not
    have as a secondary."""
    return open_seconding(context, zone, primary, place)


def servers_at(context: RunContext, place: str) -> tuple[Name, ...]:
    """Name servers of a provider, or of a secondary."""
    section = context.settings.secondaries.get(place)
    return server_names(section.servers) if section is not None else context.provider(place).servers


def has_own_zone(context: RunContext, place: str) -> bool:
    """It takes no copy from another one."""
    return place in context.providers and place not in context.settings.secondaries


async def release(context: RunContext, seconding: Seconding) -> str:
    """The second provider no longer serves the zone; what was done. Raises :class:`GateShut` where only a person
    can."""
    ending = f"ending {name_text(seconding.domain)} at {seconding.name}"
    if seconding.section.catalog:
        catalog = parse_name(seconding.section.catalog.rstrip(".") + ".")
        current = await seconding.primary.fetch(catalog)
        wanted, serial = without_member(current, seconding.domain), current.soa.serial
        if wanted != current:
            serial = await put_catalog(context, seconding.primary, current, wanted)
        said = f"out of the catalog {name_text(catalog)}, serial {serial}"
    elif seconding.section.end:

        async def change() -> str:
            await run_command(seconding.section.end, seconding.domain, ending, context.command_limit)
            return "ended by the command of the settings"

        said = (await carried_out(context, seconding.domain, "second", ending, change)).summary
    else:
        raise GateShut(
            f"the settings have neither a catalog nor a command that ends the zone at {seconding.name}",
            "have it ended there by hand",
        )

    await context.until_seen(
        lambda: still_serving(context, seconding), f"the end of {name_text(seconding.domain)} at {seconding.name}"
    )
    return said


async def still_serving(context: RunContext, seconding: Seconding) -> str:
    """Who of the second provider's servers still answers for the zone; empty for nobody."""
    found = [
        each
        for each in await serials_of(context, seconding)
        if each.party == seconding.name and each.serial is not None
    ]
    return "; ".join(f"{each.address} still answers with serial {each.serial}" for each in found[:4])
