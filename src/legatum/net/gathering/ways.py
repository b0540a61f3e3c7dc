"""The ways to a zone's contents that its servers may leave open: a transfer, its NSEC chain, and asking for names."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from legatum.core.dnssec.denial import nsec3_hash
from legatum.core.records.name import Name, is_under, name_text
from legatum.core.records.rrset import RRset
from legatum.core.records.rrtype import NSEC, NSEC3, RRSIG, SOA
from legatum.core.running.fault import OutsideFault
from legatum.core.zones.completeness import Completeness, Degree, transferred
from legatum.core.zones.contents import SERVER, Contents
from legatum.core.zones.evidence import counted_by_proofs, found_by_asking
from legatum.core.zones.zone import Zone
from legatum.net.asking.asker import Asker
from legatum.net.gathering.by_name import Questioner
from legatum.net.gathering.nsec_chain import count, walk
from legatum.net.zones.zone_transfer import transfer

RRsetKey = tuple[Name, int]
WAYS = ("transfer", "walk", "ask")
_PROOFS = (RRSIG, NSEC, NSEC3)


@dataclass(frozen=True)
class Tried:
    """A way that was not open, and why."""

    way: str
    why: str


async def first_open(
    asker: Asker,
    ways: Sequence[str],
    domain: Name,
    places: tuple[str, ...],
    extra: Sequence[Name],
    keys: Iterable[RRsetKey] = (),
) -> tuple[Contents, tuple[Tried, ...]]:
    """By the first of the ways that is open at these addresses. ``extra``: names to ask for beside the usual ones, and
    ``keys`` names with the types that they may hold. Raises :class:`OutsideFault` where none is."""
    tried: list[Tried] = []
    for way in ways:
        found = await _by_way(asker, way, domain, places, (extra, keys), tried)
        if found is not None:
            return found, tuple(tried)
    told = "; ".join(f"{each.way}: {each.why}" for each in tried)
    raise OutsideFault(
        f"{name_text(domain)} cannot be gathered ({told})", "ask the provider for an export, and use the file"
    )


async def _by_way(
    asker: Asker,
    way: str,
    domain: Name,
    places: tuple[str, ...],
    more: tuple[Sequence[Name], Iterable[RRsetKey]],
    tried: list[Tried],
) -> Contents | None:
    """By one of :data:`WAYS`, at the first of the addresses that lets it; None where none does, with the reason in
    ``tried``."""
    if way == "transfer":
        return await _transferred(asker, domain, places, tried)
    server = await _answering(asker, domain, places)
    if server is None:
        tried.append(Tried(way, "no server answers for the zone"))
        return None
    if way == "walk":
        return await _walked(asker, domain, server, tried)
    return await _asked(asker, domain, server, *more)


async def _transferred(asker: Asker, domain: Name, places: tuple[str, ...], tried: list[Tried]) -> Contents | None:
    why = "no server"
    for place in places:
        try:
            zone = await transfer(asker, place, domain)
        except OutsideFault as fault:
            why = fault.message
            continue
        return Contents(zone, SERVER + place, "zone transfer, open to everybody", transferred())
    tried.append(Tried("transfer", why))
    return None


async def _walked(asker: Asker, domain: Name, server: str, tried: list[Tried]) -> Contents | None:
    found = await walk(asker, server, domain)
    if found is None:
        tried.append(Tried("walk", "the zone has no NSEC chain that can be walked"))
        return None
    doubts = () if not found.unanswered else (f"{found.unanswered} questions were not answered: gather again",)
    if found.closed and not doubts:
        because = (
            f"the NSEC chain was walked from the apex back to the apex: {len(found.names)} names, every type "
            "of each asked for"
        )
        completeness = Completeness(Degree.COMPLETE, because, len(found.names), len(found.names))
    else:
        because = (
            f"the NSEC chain broke off after {len(found.names)} names"
            if not found.closed
            else "the NSEC chain was walked"
        )
        completeness = Completeness(Degree.SAMPLE, because, None, len(found.names), None, found.unanswered, doubts)
    return Contents(_zone(domain, found.rrsets), SERVER + server, "walking the NSEC chain", completeness)


async def _asked(asker: Asker, domain: Name, server: str, extra: Sequence[Name], keys: Iterable[RRsetKey]) -> Contents:
    questioner = Questioner(asker, server, domain)
    types: dict[Name, set[int]] = {}
    for name, rtype in keys:
        types.setdefault(name, set()).add(rtype)
    asked = await questioner.ask([*extra, *types])
    await questioner.ask_types(types)
    counted = await count(asker, server, domain)
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


async def _answering(asker: Asker, domain: Name, places: tuple[str, ...]) -> str | None:
    """The first server that answers for the zone."""
    for place in places:
        reply = await asker.ask(place, domain, SOA)
        if reply.authoritative and reply.find(SOA):
            return place
    return None
