"""A zone's contents from whatever its servers hand out, the best way that is open first."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from legatum.core.dnssec.denial import nsec3_hash
from legatum.core.fault import OutsideFault
from legatum.core.records.name import Name, is_under, name_text
from legatum.core.records.rrset import RRset, targets
from legatum.core.records.rrtype import NS, NSEC, NSEC3, RRSIG, SOA
from legatum.core.zones.completeness import Completeness, Degree, transferred
from legatum.core.zones.evidence import counted_by_proofs, found_by_asking
from legatum.core.zones.zone import Zone
from legatum.net.zones.transfer import transfer, transfer_changes
from legatum.work.gathering.by_name import Questioner
from legatum.work.gathering.chain import count, walk
from legatum.work.gathering.contents import SERVER, Contents
from legatum.work.outside import Outside

WAYS = ("transfer", "walk", "ask")
_MOST_TOLD = 8
_PROOFS = (RRSIG, NSEC, NSEC3)


@dataclass(frozen=True)
class Tried:
    """A way that was not open, and why."""

    way: str
    why: str


async def gather(
    outside: Outside, domain: Name, ways: Sequence[str] = WAYS, extra: Sequence[Name] = (), servers: Sequence[str] = ()
) -> tuple[Contents, tuple[Tried, ...]]:
    """By the first of ``ways`` that is open. ``servers``: addresses to ask; those of the delegation if none are given.

    Raises :class:`OutsideFault` where none is.
    """
    places = tuple(servers) or await _servers(outside, domain)
    tried: list[Tried] = []
    for way in ways:
        found = await _by(outside, way, domain, places, extra, tried)
        if found is not None:
            return found, tuple(tried)
    told = "; ".join(f"{each.way}: {each.why}" for each in tried)
    raise OutsideFault(f"{name_text(domain)} cannot be gathered ({told})", "ask the provider for an export, and use the file")


async def _by(
    outside: Outside, way: str, domain: Name, places: tuple[str, ...], extra: Sequence[Name], tried: list[Tried]
) -> Contents | None:
    if way == "transfer":
        return await _transferred(outside, domain, places, tried)
    server = await _answering(outside, domain, places)
    if server is None:
        tried.append(Tried(way, "no server answers for the zone"))
        return None
    if way == "walk":
        return await _walked(outside, domain, server, tried)
    return await _asked(outside, domain, server, extra)


async def _transferred(outside: Outside, domain: Name, places: tuple[str, ...], tried: list[Tried]) -> Contents | None:
    why = "no server"
    for place in places:
        try:
            zone = await transfer(outside.asker, place, domain)
        except OutsideFault as fault:
            why = fault.message
            continue
        return Contents(zone, SERVER + place, "zone transfer, open to everybody", transferred())
    tried.append(Tried("transfer", why))
    return None


async def _walked(outside: Outside, domain: Name, server: str, tried: list[Tried]) -> Contents | None:
    found = await walk(outside.asker, server, domain)
    if found is None:
        tried.append(Tried("walk", "the zone has no NSEC chain that can be walked"))
        return None
    doubts = () if not found.unanswered else (f"{found.unanswered} questions were not answered: gather again",)
    if found.closed and not doubts:
        because = f"the NSEC chain was walked from the apex back to the apex: {len(found.names)} names, every type of each asked for"
        completeness = Completeness(Degree.COMPLETE, because, len(found.names), len(found.names))
    else:
        because = f"the NSEC chain broke off after {len(found.names)} names" if not found.closed else "the NSEC chain was walked"
        completeness = Completeness(Degree.SAMPLE, because, None, len(found.names), None, found.unanswered, doubts)
    return Contents(_zone(domain, found.rrsets), SERVER + server, "walking the NSEC chain", completeness)


async def _asked(outside: Outside, domain: Name, server: str, extra: Sequence[Name]) -> Contents:
    questioner = Questioner(outside.asker, server, domain)
    asked = await questioner.ask(extra)
    counted = await count(outside.asker, server, domain)
    if counted is not None:
        # The chain of hashes also says which types a name holds: no need to guess.
        hashed = {name: counted.hashes.get(nsec3_hash(name, counted.salt, counted.iterations)) for name in asked.names}
        await questioner.ask_types({name: types - {RRSIG, NSEC3} for name, types in hashed.items() if types})
    zone = _zone(domain, asked.rrsets.values())
    completeness = counted_by_proofs(zone, asked, counted) if counted is not None else found_by_asking(zone, asked)
    return Contents(zone, SERVER + server, "asking for names", completeness)


def _zone(domain: Name, rrsets: Iterable[RRset]) -> Zone:
    found = [each for each in rrsets if each.rtype not in _PROOFS and is_under(each.name, domain)]
    if not any(each.rtype == SOA and each.name == domain for each in found):
        raise OutsideFault(f"{name_text(domain)}: no SOA in the answers", "is this server authoritative for the zone?")
    return Zone(domain, found)


async def _servers(outside: Outside, domain: Name) -> tuple[str, ...]:
    walker = outside.walker()
    _, reply = await walker.delegation_of(domain)
    said = (*reply.authority, *reply.answer) if reply else ()
    names = sorted({name for each in said if each.name == domain and each.rtype == NS for name in targets(each)})
    if not names:
        raise OutsideFault(f"{name_text(domain)} is not delegated", "give the server to ask: --from server:ADDRESS")
    return tuple(address for each in (await outside.addresses(names)).values() for address in each)


async def _answering(outside: Outside, domain: Name, places: tuple[str, ...]) -> str | None:
    """The first server that answers for the zone."""
    for place in places:
        reply = await outside.asker.ask(place, domain, SOA)
        if reply.authoritative and reply.find(SOA):
            return place
    return None


async def changed_since(outside: Outside, earlier: Contents, place: str) -> Contents:
    """The zone as it is now, from an earlier copy and what has changed since (RFC 1995). ``place``: a provider, asked with its key, or an
    address. Raises :class:`OutsideFault`."""
    if place in outside.settings.providers:
        zone, way = await outside.provider(place).fetch_since(earlier.zone)
    else:
        zone, way = await transfer_changes(outside.asker, place.removeprefix(SERVER), earlier.zone)
    return Contents(zone, place, way, transferred())
