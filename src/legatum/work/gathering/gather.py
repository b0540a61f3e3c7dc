"""A zone's contents from whatever its servers hand out, the best way that is open first."""

from collections.abc import Sequence

from legatum.core.records.name import Name, name_text
from legatum.core.records.rrset import targets
from legatum.core.records.rrtype import NS
from legatum.core.running.fault import OutsideFault
from legatum.core.zones.completeness import transferred
from legatum.core.zones.contents import SERVER, Contents
from legatum.net.gathering.ways import WAYS, Tried, first_open
from legatum.net.zones.zone_transfer import transfer_changes
from legatum.work.run_context import RunContext


async def gather(
    context: RunContext,
    domain: Name,
    ways: Sequence[str] = WAYS,
    extra: Sequence[Name] = (),
    servers: Sequence[str] = (),
) -> tuple[Contents, tuple[Tried, ...]]:
    """By the first of ``ways`` that is open. ``servers``: addresses to ask; those of the delegation if none are given.

    Raises :class:`OutsideFault` where none is.
    """
    return await first_open(context.asker, ways, domain, tuple(servers) or await _servers(context, domain), extra)


async def _servers(context: RunContext, domain: Name) -> tuple[str, ...]:
    walker = context.walker()
    cut, reply = await walker.delegation_of(domain)
    if reply is None:
        said_nothing = f"{name_text(domain)}: no server of {name_text(cut.zone)} answers"
        raise OutsideFault(said_nothing, "try again, or give the server to ask: --from server:ADDRESS")
    said = (*reply.authority, *reply.answer)
    names = sorted({name for each in said if each.name == domain and each.rtype == NS for name in targets(each)})
    if not names:
        raise OutsideFault(f"{name_text(domain)} is not delegated", "give the server to ask: --from server:ADDRESS")
    return tuple(address for each in (await context.addresses(names)).values() for address in each)


async def changed_since(context: RunContext, earlier: Contents, place: str) -> Contents:
    """The zone as it is now, from an earlier copy and what has changed since (RFC 1995). ``place``: a provider, asked
    with its key, or an address. Raises :class:`OutsideFault`."""
    if place in context.providers:
        zone, way = await context.provider(place).fetch_since(earlier.zone)
    else:
        zone, way = await transfer_changes(context.asker, place.removeprefix(SERVER), earlier.zone)
    return Contents(zone, place, way, transferred())
