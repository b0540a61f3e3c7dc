"""A name of a zone handed to another provider: the child zone first, then NS in the parent zone, and nobody notices."""

from dataclasses import dataclass

from legatum.core.address import address_rdata
from legatum.core.cutting import Parts, child_zone, parent_zone, parts_of
from legatum.core.difference import zone_differences
from legatum.core.fault import GateShut, OutsideFault
from legatum.core.name import Name, name_text
from legatum.core.rrtype import AAAA, NS, A
from legatum.core.soa import negative_ttl
from legatum.core.timing import Caution
from legatum.services.provider import Provider
from legatum.work.outside import Outside
from legatum.work.publish import Publication, Published, next_by_rule, plan, publish, wrong_answers


@dataclass(frozen=True)
class Handing:
    """``child``: at the new provider; ``parent``: at the present one, to be carried out after it."""

    parts: Parts
    child: Publication
    parent: Publication

    @property
    def longest(self) -> int:
        """How long after the cut caches may still hold what the parent zone said below it, in seconds (rule 15)."""
        return max((each.ttl for each in self.parts.below), default=0)

    def over(self, since: float, caution: Caution) -> float:
        """When that is over, if every server has shown the cut since ``since``."""
        negative = negative_ttl(self.parent.current.soa_rrset)
        return since + caution.lasts(max(self.longest, negative)) + caution.slack(1) + caution.margin


async def draw_handing(outside: Outside, origin: Name, cut: Name, old: Provider, new: Provider, ttl: int, create: bool) -> Handing:
    """Raises :class:`BadInput`, :class:`GateShut` or :class:`OutsideFault`."""
    zone = await old.fetch(origin)
    parts = parts_of(zone, cut)
    addresses = await outside.addresses(new.servers)
    try:
        present = await new.fetch(cut)
    except OutsideFault as fault:
        if not create or not await new.create(cut):
            raise GateShut(
                f"{new.name} does not have the zone {name_text(cut)} ({fault.message})",
                f"create it at {new.name}, or set `create` for it in the settings",
            ) from fault
        present = await new.fetch(cut)
    child = await plan(outside, new, child_zone(parts, present))
    glue = {name: tuple((AAAA if ":" in text else A, address_rdata(text)) for text in found) for name, found in addresses.items()}
    wanted = parent_zone(zone, parts, new.servers, ttl, glue).with_serial(next_by_rule(outside, zone))
    return Handing(parts, child, Publication(old, zone, wanted, zone_differences(zone, wanted)))


async def hand_on(outside: Outside, handing: Handing) -> tuple[Published | None, Published]:
    """The child zone published and proven, with every record that the parent zone had there; then the parent's NS set.

    Raises :class:`GateShut` where the child's servers do not answer for all of it; then the parent zone is as it was.
    """
    child = await publish(outside, handing.child) if handing.child.is_needed else None
    addresses = child.addresses if child else await _addresses(outside, handing.child.provider)
    keys = [(each.name, each.rtype) for each in handing.parts.below]
    lost = await wrong_answers(outside, addresses, handing.child.wanted, [*keys, (handing.parts.cut, NS)])
    if lost:
        raise GateShut(
            f"{handing.child.provider.name} does not answer as {handing.parent.provider.name} did: {'; '.join(lost[:4])}",
            "nothing was changed in the parent zone",
        )
    parent = await publish(outside, handing.parent)
    before = {(each.name, each.rtype) for each in handing.parts.rest}
    changed = await wrong_answers(outside, parent.addresses, handing.parent.wanted, sorted(before))
    if changed:
        raise OutsideFault(f"the rest of the zone is not as it was: {'; '.join(changed[:4])}", "legatum compare shows it")
    return child, parent


async def _addresses(outside: Outside, provider: Provider) -> tuple[str, ...]:
    return tuple(address for each in (await outside.addresses(provider.servers)).values() for address in each)
