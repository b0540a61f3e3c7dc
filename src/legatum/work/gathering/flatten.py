"""Aliases that some providers offer and DNS does not have: turned into true ones, or into the addresses that they lead
to where no alias can stand."""

from dataclasses import dataclass

from legatum.core.records.address import address_text
from legatum.core.records.name import Name, is_under, name_text
from legatum.core.records.rrset import RRset, rrset, targets
from legatum.core.records.rrtype import AAAA, ALIAS, CNAME, A, type_text
from legatum.core.running.fault import OutsideFault
from legatum.core.zones.signer import PROOFS
from legatum.core.zones.zone import Zone
from legatum.net.asking.walk import Walker
from legatum.work.run_context import RunContext

_LONGEST_CHAIN = 8
_LOOKS = 3  # at what may give other addresses with every question


@dataclass(frozen=True)
class Flattened:
    """``zone``: without such aliases; ``notes``: what became of each, and why."""

    zone: Zone
    notes: tuple[str, ...] = ()


async def flatten(context: RunContext, zone: Zone) -> Flattened:
    """Raises :class:`OutsideFault` for an alias that leads to no address."""
    aliases = [each for each in zone if each.rtype == ALIAS]
    if not aliases:
        return Flattened(zone)
    walker, notes = context.walker(), []
    for alias in aliases:
        target = targets(alias)[0]
        beside = [each.type_text for each in zone.at(alias.name) if each.rtype not in (ALIAS, *PROOFS)]
        if not beside:
            zone = zone.without([(alias.name, ALIAS)]).with_rrsets([rrset(alias.name, CNAME, alias.ttl, [target])])
            notes.append(
                f"{name_text(alias.name)}: the alias of {name_text(target)} became a CNAME, which every server has"
            )
            continue
        found = await addresses_behind(walker, zone, target)
        if not found:
            raise OutsideFault(
                f"{name_text(alias.name)} is an alias of {name_text(target)}, which has no address",
                "mend the target first",
            )
        sets = [rrset(alias.name, each.rtype, min(alias.ttl, each.ttl), each.rdatas) for each in found]
        zone = zone.without([(alias.name, ALIAS)]).with_rrsets(sets)
        kinds = " and ".join(f"{len(each.rdatas)} {type_text(each.rtype)}" for each in sets)
        others = "SOA and NS" if alias.name == zone.origin else " and ".join(beside)
        notes.append(
            f"{name_text(alias.name)}: the alias of {name_text(target)} became {kinds}, as no alias can "
            f"stand beside {others} "
            "(RFC 1034 s3.6.2); when the addresses change there, change them here"
        )
    return Flattened(zone, tuple(notes))


async def addresses_of_target(context: RunContext, target: Name, zone: Zone | None = None) -> list[RRset]:
    """As servers say now; of a name in the zone, as that has it. Raises :class:`OutsideFault` where there is none."""
    walker = context.walker()
    inside = zone if zone is not None and is_under(target, zone.origin) else Zone(target, ())
    found = await addresses_behind(walker, inside, target)
    if not found:
        raise OutsideFault(f"where {name_text(target)} leads to is nowhere: it has no address", "is it spelt right?")
    return found


async def looks_at_target(context: RunContext, target: Name, zone: Zone | None = None) -> list[frozenset[str]]:
    """Its addresses by several questions, each by itself: some names have others with every question. Raises as
    :func:`addresses_of_target`."""
    looks = [await addresses_of_target(context, target, zone) for _ in range(_LOOKS)]
    return [frozenset(address_text(data) for each in sets for data in each.rdatas) for sets in looks]


async def addresses_behind(walker: Walker, zone: Zone, target: Name) -> list[RRset]:
    """The address sets that an alias of a zone leads to: what the zone has itself, else what servers say. Raises
    :class:`OutsideFault` where one of them is not known: it might be there."""
    return [each for rtype in (A, AAAA) if (each := await _addresses(walker, zone, target, rtype)) is not None]


async def _addresses(walker: Walker, zone: Zone, name: Name, rtype: int) -> RRset | None:
    for _ in range(_LONGEST_CHAIN):
        own = zone.get(name, rtype)
        if own is not None:
            return own
        found = await walker.lookup(name, rtype)
        if found.rrset is not None:
            return found.rrset
        if found.untold:
            raise OutsideFault(
                f"{name_text(name)} {type_text(rtype)} is not known: {found.why}", "look again: the same command"
            )
        alias = found.alias or next(iter(targets(zone.get(name, CNAME))), None)
        if alias is None:
            return None
        name = alias
    return None
