"""A second provider for a zone: told of it, in step with the first, then named in the zone and at the registrar - in that order."""

import asyncio
from collections.abc import Collection, Sequence
from dataclasses import dataclass

from legatum.core.catalog import with_members
from legatum.core.difference import zone_differences
from legatum.core.fault import BadInput, GateShut, OutsideFault
from legatum.core.name import Name, name_text, parse_name
from legatum.core.presentation import difference_text
from legatum.core.rrset import rrset, targets
from legatum.core.rrtype import NS, SOA
from legatum.core.signer import OWN
from legatum.core.soa import SoaFields, parse_soa, serial_is_newer
from legatum.core.zone import Zone
from legatum.net.notify import send_notify
from legatum.services.command import run_command
from legatum.services.provider import Provider, server_names
from legatum.services.registrar import Registrar
from legatum.settings.document import SecondaryProvider
from legatum.work.effect import carried_out
from legatum.work.outside import Outside
from legatum.work.parting import note_joined
from legatum.work.publish import Publication, next_by_rule, publish
from legatum.work.registration import change_nameservers


@dataclass(frozen=True)
class Seconding:
    """``primary``: who the zone is changed at; ``servers``: NS names of the second provider."""

    domain: Name
    primary: Provider
    name: str
    section: SecondaryProvider
    servers: tuple[Name, ...]
    registrar: Registrar | None


@dataclass(frozen=True)
class Standing:
    """One server address: its SOA, None where it does not answer for the zone, and what it said."""

    party: str
    server: Name
    address: str
    soa: SoaFields | None
    said: str

    @property
    def serial(self) -> int | None:
        return self.soa.serial if self.soa else None


def open_seconding(outside: Outside, domain: Name, primary: str, second: str, registrar: str | None) -> Seconding:
    """Raises :class:`BadInput` for a second provider that the settings do not have as a secondary."""
    section = outside.settings.secondaries.get(second)
    if section is None:
        known = ", ".join(sorted(outside.settings.secondaries)) or "none"
        raise BadInput(f"no secondary '{second}' in the settings", f"under [secondaries] there are: {known}")
    held = outside.registrar(registrar) if registrar else None
    return Seconding(domain, outside.provider(primary), second, section, server_names(section.servers), held)


async def standings(outside: Outside, seconding: Seconding) -> list[Standing]:
    """Every address of both providers."""
    parties = {seconding.primary.name: seconding.primary.servers, seconding.name: seconding.servers}
    found = []
    for party, servers in parties.items():
        for server, addresses in (await outside.addresses(servers)).items():
            for reply in await asyncio.gather(*(outside.asker.ask(address, seconding.domain, SOA) for address in addresses)):
                soa = reply.find(SOA) if reply.authoritative else None
                found.append(Standing(party, server, reply.server, parse_soa(soa.rdatas[0]) if soa else None, reply.outcome))
    return found


async def tell(outside: Outside, secondings: Sequence[Seconding]) -> dict[Name, str]:
    """Makes the second provider know of the zones, where it does not: by one change of the catalog for all of them, or by its command for
    each. What was done, by domain."""
    served = await asyncio.gather(*(serves(outside, each) for each in secondings))
    said = {each.domain: "it serves the zone already" for each, there in zip(secondings, served, strict=True) if there}
    unknown = [each for each in secondings if each.domain not in said]
    if unknown and unknown[0].section.catalog:
        words = await _enter(outside, unknown[0], [each.domain for each in unknown])
        return said | dict.fromkeys((each.domain for each in unknown), words)
    for each in unknown:
        said[each.domain] = await _made(outside, each)
    return said


async def serves(outside: Outside, seconding: Seconding) -> bool:
    return all(each.serial is not None for each in await standings(outside, seconding) if each.party == seconding.name)


async def _enter(outside: Outside, seconding: Seconding, domains: Sequence[Name]) -> str:
    """Into the catalog of this provider."""
    assert seconding.section.catalog is not None
    catalog = parse_name(seconding.section.catalog.rstrip(".") + ".")
    current = await seconding.primary.fetch(catalog)
    wanted = with_members(current, domains, seconding.section.group)
    if wanted == current:
        return f"it is in the catalog {name_text(catalog)} already"
    return f"entered into the catalog {name_text(catalog)}, serial {await put_catalog(outside, seconding.primary, current, wanted)}"


async def _made(outside: Outside, seconding: Seconding) -> str:
    purpose = f"making {name_text(seconding.domain)} a secondary at {seconding.name}"
    if seconding.section.create:

        async def change() -> str:
            await run_command(seconding.section.create, seconding.domain, purpose, outside.command_limit)
            return "made by the command of the settings"

        return (await carried_out(outside, seconding.domain, "second", purpose, change)).summary
    raise GateShut(
        f"{seconding.name} does not serve {name_text(seconding.domain)}, and the settings have neither a catalog nor a command",
        f"make it a secondary there, of {seconding.primary.name}, then go on with the same command",
    )


async def put_catalog(outside: Outside, provider: Provider, current: Zone, wanted: Zone) -> int:
    """A catalog is for secondaries: its own servers need not answer others for it, so it is read back from where it was put. Its serial."""
    wanted = wanted.with_serial(next_by_rule(outside, current))
    serials = []

    async def change() -> str:
        await provider.apply(current, wanted)
        served = await provider.fetch(wanted.origin)
        if [each for each in zone_differences(served, wanted) if each.rtype != SOA and each.rtype not in OWN]:
            raise OutsideFault(
                f"{provider.name} said yes, but the catalog is not as sent", "look at it by hand: `legatum gather CATALOG --from PROVIDER`"
            )
        serials.append(served.soa.serial)
        return f"read back from {provider.name} with serial {served.soa.serial}"

    differing = [each for each in zone_differences(current, wanted) if each.rtype != SOA]
    words = f"the catalog at {provider.name}: {'; '.join(map(difference_text, differing[:4]))}{' …' if differing[4:] else ''}"
    await carried_out(outside, wanted.origin, "catalog", words, change)
    return serials[0]


async def in_step(outside: Outside, seconding: Seconding, among: Collection[str] | None = None) -> tuple[int, int]:
    """Waits until every server of the second provider has the first one's serial; the serial, and how many took a NOTIFY of ours.

    ``among``: the addresses of the second provider that are waited for, if not all. Raises :class:`OutsideFault` that says who is behind.
    """
    told = [await send_notify(outside.asker, address, seconding.domain) for address in seconding.section.notify]
    serial = (await seconding.primary.fetch(seconding.domain)).soa.serial

    async def behind() -> str:
        found = await standings(outside, seconding)
        waited = [each for each in found if among is None or each.party != seconding.name or each.address in among]
        late = [each for each in waited if each.serial is None or serial_is_newer(serial, each.serial)]
        return "; ".join(
            f"{each.address} ({each.party}): {each.said if each.serial is None else f'serial {each.serial}'}" for each in late[:4]
        )

    await outside.until_seen(behind, f"serial {serial} of {name_text(seconding.domain)} at {seconding.name}")
    return serial, sum(told)


async def name_in_zone(outside: Outside, seconding: Seconding) -> Publication:
    """The NS set of the zone, longer by the second provider's servers. Not carried out.

    Raises :class:`GateShut` where the NS set cannot be changed, or the second provider has a zone of its own of that name.
    """
    current = await seconding.primary.fetch(seconding.domain)
    await _refuse_own_zone(outside, seconding, current.soa.primary)
    if not seconding.primary.changes_apex_ns:
        raise GateShut(
            f"the NS set at {seconding.primary.name} cannot be changed", "a second provider must be named in the zone: RFC 1034 s4.2.2"
        )
    present = current.apex_ns
    names = sorted({*targets(present), *seconding.servers})
    wanted = current.with_rrsets([rrset(seconding.domain, NS, present.ttl if present else 86400, names)])
    if wanted != current:
        wanted = wanted.with_serial(next_by_rule(outside, current))
    return Publication.between(seconding.primary, current, wanted)


async def following(outside: Outside, seconding: Seconding) -> tuple[set[str], list[Standing]]:
    """The addresses of the second provider that serve a copy of the zone, and those that do not follow: silent, or with another SOA."""
    primary = (await seconding.primary.fetch(seconding.domain)).soa.primary
    own = [each for each in await standings(outside, seconding) if each.party == seconding.name]
    copies = {each.address for each in own if each.soa is not None and each.soa.primary == primary}
    return copies, [each for each in own if each.address not in copies]


async def _refuse_own_zone(outside: Outside, seconding: Seconding, primary: Name) -> None:
    """A copy has the SOA of what it is a copy of: another primary name in it, and what is served there will never follow."""
    for each in await standings(outside, seconding):
        if each.party == seconding.name and each.soa is not None and each.soa.primary != primary:
            raise GateShut(
                f"{each.address} of {seconding.name} serves {name_text(seconding.domain)} as a zone of its own: its SOA names "
                f"{name_text(each.soa.primary)}, not {name_text(primary)}",
                f"have that zone ended there, so that {seconding.name} can serve a copy of {seconding.primary.name}'s",
            )


def leaving_id(seconding: Seconding) -> str:
    return f"{name_text(seconding.domain)} without {seconding.name}"


async def join(outside: Outside, seconding: Seconding, publication: Publication) -> list[str]:
    """In step with the first provider; then named in the zone, on all servers of both; then at the registrar. What was done."""
    note_joined(outside, seconding.domain, leaving_id(seconding))
    serial, told = await in_step(outside, seconding)
    done = [f"in step at serial {serial}" + (f"; {told} of {len(seconding.section.notify)} took our NOTIFY" if told else "")]
    if publication.is_needed:
        await publish(outside, publication)
        serial, _ = await in_step(outside, seconding)
        done.append(f"the zone names {len(targets(publication.wanted.apex_ns))} servers, serial {serial} on all of them")
    if seconding.registrar is not None:
        done.append(await _at_registrar(outside, seconding, seconding.registrar))
    return done


async def _at_registrar(outside: Outside, seconding: Seconding, registrar: Registrar) -> str:
    held = (await registrar.registration(seconding.domain)).nameservers
    wanted = sorted({*held, *seconding.servers})
    if set(wanted) == set(held):
        return f"{registrar.name} has them already"
    outcome = await change_nameservers(outside, registrar, seconding.domain, wanted)
    return f"{registrar.name}: {outcome.summary}; it holds {len(wanted)} name servers"
