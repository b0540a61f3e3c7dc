"""A second provider leaves: out of both NS sets, and out of its service when nobody asks it any more."""

from legatum.core.catalog import without_member
from legatum.core.fault import GateShut
from legatum.core.name import name_text, parse_name
from legatum.core.rrset import rrset, targets
from legatum.core.rrtype import NS
from legatum.core.verdict import names_said
from legatum.services.command import run_command
from legatum.work.effect import carried_out
from legatum.work.outside import Outside
from legatum.work.parting import Parting, note_over, note_unnamed, parting
from legatum.work.publish import Publication, next_by_rule, publish
from legatum.work.registration import change_nameservers, published, wait_until_published
from legatum.work.second import Seconding, Standing, following, in_step, leaving_id, put_catalog, serves, standings


def leaving(outside: Outside, seconding: Seconding) -> Parting | None:
    """Taking a secondary out is a change of the delegation (docs/timing.md, rules 4 and 16). None while it is still named."""
    return parting(outside, leaving_id(seconding), seconding.name)


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
    leading = {*handed_out, *targets(current.apex_ns)} & set(seconding.servers)
    if not leading and not await serves(outside, seconding):
        words = f"{seconding.name} is no second provider of {name_text(seconding.domain)}: nobody names it, and it does not serve the zone"
        raise GateShut(words, "is it the right provider, and the right domain?")
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
        published_zone = await publish(outside, Publication.between(seconding.primary, current, wanted_zone))
        copies, others = await following(outside, seconding)
        await in_step(outside, seconding, copies)
        everywhere = f"on every server{' that follows it' if others else ''}"
        done.append(f"the zone names {names_said(tuple(left))}, serial {published_zone.serial} {everywhere}")
        done += [f"{each.address} of {seconding.name} does not follow it: {_said(each)}" for each in others]
    note_unnamed(outside, seconding.domain, leaving_id(seconding), ttls, "; ".join(done) or "nobody named it")
    return done


async def release(outside: Outside, seconding: Seconding) -> str:
    """The second provider no longer serves the zone; what was done. Raises :class:`GateShut` where only a person can."""
    ending = f"ending {name_text(seconding.domain)} at {seconding.name}"
    if seconding.section.catalog:
        catalog = parse_name(seconding.section.catalog.rstrip(".") + ".")
        current = await seconding.primary.fetch(catalog)
        wanted, serial = without_member(current, seconding.domain), current.soa.serial
        if wanted != current:
            serial = await put_catalog(outside, seconding.primary, current, wanted)
        said = f"out of the catalog {name_text(catalog)}, serial {serial}"
    elif seconding.section.end:

        async def change() -> str:
            await run_command(seconding.section.end, seconding.domain, ending, outside.command_limit)
            return "ended by the command of the settings"

        said = (await carried_out(outside, seconding.domain, "second", ending, change)).summary
    else:
        raise GateShut(
            f"the settings have neither a catalog nor a command that ends the zone at {seconding.name}", "have it ended there by hand"
        )

    async def serving() -> str:
        found = [each for each in await standings(outside, seconding) if each.party == seconding.name and each.serial is not None]
        return "; ".join(f"{each.address} still answers with serial {each.serial}" for each in found[:4])

    await outside.until_seen(serving, f"the end of {name_text(seconding.domain)} at {seconding.name}")
    note_over(outside, seconding.domain, leaving_id(seconding), said)
    return said


def _said(standing: Standing) -> str:
    return standing.said if standing.soa is None else f"a zone of its own, serial {standing.serial}; it goes on naming whom it names"
