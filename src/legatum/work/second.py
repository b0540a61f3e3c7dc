"""A second provider for a zone: told of it, in step with the first, then named in the zone and at the registrar - in that order."""

import asyncio
from dataclasses import dataclass

from legatum.core.catalog import with_member, without_member
from legatum.core.difference import zone_differences
from legatum.core.fault import BadInput, GateShut, OutsideFault
from legatum.core.name import Name, name_text, parse_name
from legatum.core.rrset import rrset, targets
from legatum.core.rrtype import NS, SOA
from legatum.core.soa import parse_soa, serial_is_newer
from legatum.core.verdict import names_said
from legatum.net.notify import send_notify
from legatum.services.provider import Provider, run_command, server_names
from legatum.services.registrar import Registrar
from legatum.settings.document import SecondaryProvider
from legatum.work.outside import Outside
from legatum.work.parting import Parting, note_over, note_unnamed, parting
from legatum.work.publish import Publication, next_by_rule, publish
from legatum.work.registration import change_nameservers, published, wait_until_published


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
    """One server address: its serial, None where it does not answer for the zone, and what it said."""

    party: str
    server: Name
    address: str
    serial: int | None
    said: str


def open_seconding(outside: Outside, domain: Name, primary: str, second: str, registrar: str | None) -> Seconding:
    """Raises :class:`BadInput` for a second provider that the settings do not have as a secondary."""
    section = outside.settings.secondaries.get(second)
    if section is None:
        known = ", ".join(sorted(outside.settings.secondaries)) or "none"
        raise BadInput(f"no secondary {second!r} in the settings", f"under [secondaries] there are: {known}")
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
                found.append(Standing(party, server, reply.server, parse_soa(soa.rdatas[0]).serial if soa else None, reply.outcome))
    return found


async def tell(outside: Outside, seconding: Seconding) -> str:
    """Makes the second provider know of the zone, where it does not; what was done."""
    if all(each.serial is not None for each in await standings(outside, seconding) if each.party == seconding.name):
        return "it serves the zone already"
    if seconding.section.catalog:
        catalog = parse_name(seconding.section.catalog.rstrip(".") + ".")
        current = await seconding.primary.fetch(catalog)
        wanted = with_member(current, seconding.domain, seconding.section.group)
        if wanted == current:
            return f"it is in the catalog {name_text(catalog)} already"
        wanted = wanted.with_serial(next_by_rule(outside, current))
        await _put(outside, seconding.primary, Publication(seconding.primary, current, wanted, zone_differences(current, wanted)))
        return f"entered into the catalog {name_text(catalog)}, serial {wanted.soa.serial}"
    if await run_command(
        seconding.section.create, seconding.domain, f"making {name_text(seconding.domain)} a secondary at {seconding.name}"
    ):
        return "made by the command of the settings"
    raise GateShut(
        f"{seconding.name} does not serve {name_text(seconding.domain)}, and the settings have neither a catalog nor a command",
        f"make it a secondary there, of {seconding.primary.name}, then go on with the same command",
    )


async def _put(outside: Outside, provider: Provider, publication: Publication) -> None:
    """A catalog is for secondaries: its own servers need not answer others for it, so it is read back from where it was put."""
    await provider.apply(publication.current, publication.wanted)
    served = await provider.fetch(publication.wanted.origin)
    if [each for each in zone_differences(served, publication.wanted) if each.rtype != SOA]:
        raise OutsideFault(f"{provider.name} said yes, but the catalog is not as sent", "look at it by hand: legatum gather")


async def in_step(outside: Outside, seconding: Seconding) -> tuple[int, int]:
    """Waits until every server of the second provider has the first one's serial; the serial, and how many took a NOTIFY of ours.

    Raises :class:`OutsideFault` that says who is behind.
    """
    told = [await send_notify(outside.asker, address, seconding.domain) for address in seconding.section.notify]
    serial = (await seconding.primary.fetch(seconding.domain)).soa.serial

    async def behind() -> str:
        late = [each for each in await standings(outside, seconding) if each.serial is None or serial_is_newer(serial, each.serial)]
        return "; ".join(
            f"{each.address} ({each.party}): {each.said if each.serial is None else f'serial {each.serial}'}" for each in late[:4]
        )

    await outside.until_seen(behind, f"serial {serial} of {name_text(seconding.domain)} at {seconding.name}")
    return serial, sum(told)


async def name_in_zone(outside: Outside, seconding: Seconding) -> Publication:
    """The NS set of the zone, longer by the second provider's servers. Not carried out."""
    current = await seconding.primary.fetch(seconding.domain)
    if not seconding.primary.changes_apex_ns:
        raise GateShut(
            f"the NS set at {seconding.primary.name} cannot be changed", "a second provider must be named in the zone: RFC 1034 s4.2.2"
        )
    present = current.apex_ns
    names = sorted({*targets(present), *seconding.servers})
    wanted = current.with_rrsets([rrset(seconding.domain, NS, present.ttl if present else 86400, names)])
    if wanted != current:
        wanted = wanted.with_serial(next_by_rule(outside, current))
    return Publication(seconding.primary, current, wanted, zone_differences(current, wanted))


async def carry_out_naming(outside: Outside, seconding: Seconding, publication: Publication) -> list[str]:
    """In the zone, on all servers of both providers; then at the registrar. What was done."""
    done = []
    if publication.is_needed:
        await publish(outside, publication)
        serial, _ = await in_step(outside, seconding)
        done.append(f"the zone names {len(targets(publication.wanted.apex_ns))} servers, serial {serial} on all of them")
    if seconding.registrar is not None:
        done.append(await _at_registrar(outside, seconding, seconding.registrar))
    return done


def leaving(outside: Outside, seconding: Seconding) -> Parting | None:
    """Taking a secondary out is a change of the delegation (docs/timing.md, rules 4 and 16). None while it is still named."""
    return parting(outside, _leaving_id(seconding), seconding.name)


async def _ttls(outside: Outside, seconding: Seconding) -> tuple[int, int]:
    """Of the NS set: the largest at the parent's servers, and in the zone."""
    cut, _ = await outside.walker().delegation_of(seconding.domain)
    replies = await outside.asker.ask_all(outside.asker.askable(cut.addresses), seconding.domain, NS)
    found = [
        each.ttl for reply in replies for each in (*reply.authority, *reply.answer) if each.rtype == NS and each.name == seconding.domain
    ]
    own = (await seconding.primary.fetch(seconding.domain)).apex_ns
    return max(found, default=0), own.ttl if own else 0


async def unname(outside: Outside, seconding: Seconding) -> list[str]:
    """Out of the registrar's NS set, then out of the zone's; since when nobody names it is kept in the journal. What was done.

    Raises :class:`GateShut` where nobody would be left, or the registrar is not given and still names it.
    """
    ttls, done = await _ttls(outside, seconding), []
    held = (await seconding.registrar.registration(seconding.domain)).nameservers if seconding.registrar else ()
    handed_out = {*held, *(name for each in (await published(outside, seconding.domain)).values() for name in each or ())}
    current = await seconding.primary.fetch(seconding.domain)
    left = [name for name in targets(current.apex_ns) if name not in seconding.servers]
    if not left or not handed_out - set(seconding.servers):
        raise GateShut(f"without {seconding.name} nobody would serve {name_text(seconding.domain)}", "name other servers first")
    if handed_out & set(seconding.servers):
        if seconding.registrar is None:
            named = names_said(tuple(sorted(handed_out & set(seconding.servers))))
            raise GateShut(f"the registrar still names {named}", "give the account with --registrar, or take them out there")
        wanted = [name for name in held if name not in seconding.servers]
        if len(wanted) < len(held):  # else it has been taken out there, and is only not published yet
            outcome = await change_nameservers(outside, seconding.registrar, seconding.domain, wanted)
            done.append(f"{seconding.registrar.name}: {outcome.summary}")
        await wait_until_published(outside, seconding.domain, held, wanted)
    if set(left) != set(targets(current.apex_ns)):
        assert current.apex_ns is not None
        wanted_zone = current.with_rrsets([rrset(seconding.domain, NS, current.apex_ns.ttl, left)]).with_serial(
            next_by_rule(outside, current)
        )
        published_zone = await publish(
            outside, Publication(seconding.primary, current, wanted_zone, zone_differences(current, wanted_zone))
        )
        await in_step(outside, seconding)
        done.append(f"the zone names {names_said(tuple(left))}, serial {published_zone.serial} on every server")
    note_unnamed(outside, seconding.domain, _leaving_id(seconding), ttls, "; ".join(done) or "nobody named it")
    return done


async def release(outside: Outside, seconding: Seconding) -> str:
    """The second provider no longer serves the zone; what was done. Raises :class:`GateShut` where only a person can."""
    if seconding.section.catalog:
        catalog = parse_name(seconding.section.catalog.rstrip(".") + ".")
        current = await seconding.primary.fetch(catalog)
        wanted = without_member(current, seconding.domain)
        if wanted != current:
            wanted = wanted.with_serial(next_by_rule(outside, current))
            await _put(outside, seconding.primary, Publication(seconding.primary, current, wanted, zone_differences(current, wanted)))
        said = f"out of the catalog {name_text(catalog)}, serial {wanted.soa.serial}"
    elif await run_command(seconding.section.end, seconding.domain, f"ending {name_text(seconding.domain)} at {seconding.name}"):
        said = "ended by the command of the settings"
    else:
        raise GateShut(
            f"the settings have neither a catalog nor a command that ends the zone at {seconding.name}", "have it ended there by hand"
        )

    async def serving() -> str:
        found = [each for each in await standings(outside, seconding) if each.party == seconding.name and each.serial is not None]
        return "; ".join(f"{each.address} still answers with serial {each.serial}" for each in found[:4])

    await outside.until_seen(serving, f"the end of {name_text(seconding.domain)} at {seconding.name}")
    note_over(outside, seconding.domain, _leaving_id(seconding), said)
    return said


def _leaving_id(seconding: Seconding) -> str:
    return f"{name_text(seconding.domain)} without {seconding.name}"


async def _at_registrar(outside: Outside, seconding: Seconding, registrar: Registrar) -> str:
    held = (await registrar.registration(seconding.domain)).nameservers
    wanted = sorted({*held, *seconding.servers})
    if set(wanted) == set(held):
        return f"{registrar.name} has them already"
    outcome = await change_nameservers(outside, registrar, seconding.domain, wanted)
    return f"{registrar.name}: {outcome.summary}; it holds {len(wanted)} name servers"
