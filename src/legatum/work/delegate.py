"""A name of a zone handed to another provider, and taken back; nobody notices.

Handed on: the child zone first, then NS in the parent zone. Taken back: all that the child zone has into the parent zone, in the change
that takes the NS set out; then the child's servers name the parent's, so that caches that trust them come too.
"""

import asyncio
from dataclasses import dataclass

from legatum.core.address import address_rdata
from legatum.core.cutting import Parts, child_zone, cut_set, parent_zone, parts_of, taken_back
from legatum.core.duration import parse_duration
from legatum.core.fault import GateShut, OutsideFault
from legatum.core.name import Name, name_text
from legatum.core.rrset import rrset
from legatum.core.rrtype import AAAA, NS, SOA, A
from legatum.core.signer import OWN, counted_text
from legatum.core.soa import negative_ttl
from legatum.core.timing import Caution
from legatum.core.zone import fresh_zone
from legatum.services.provider import Provider
from legatum.work.outside import Outside
from legatum.work.parting import Ttls, named_until_now, note_joined, note_named, note_over, note_unnamed
from legatum.work.publish import Publication, Published, end_zone, next_by_rule, plan, present_at, publish, ready, wrong_answers


@dataclass(frozen=True)
class Handing:
    """``child``: at the new provider; ``parent``: at the present one, to be carried out after it."""

    parts: Parts
    child: Publication
    parent: Publication

    @property
    def notes(self) -> tuple[str, ...]:
        """What does not go along, in words."""
        if not self.parts.signed:
            return self.child.notes
        made = f"left out, because {self.parent.provider.name}'s signer made it: {counted_text(self.parts.signed)}"
        return (made, *self.child.notes)

    @property
    def longest(self) -> int:
        """How long after the cut caches may still hold what the parent zone said below it, in seconds (rule 15)."""
        return max((each.ttl for each in self.parts.below), default=0)

    def over(self, since: float, caution: Caution) -> float:
        """When that is over, if every server has shown the cut since ``since``."""
        negative = negative_ttl(self.parent.current.soa_rrset)
        return since + caution.lasts(max(self.longest, negative)) + caution.slack(1) + caution.margin


async def draw_handing(outside: Outside, origin: Name, cut: Name, old: Provider, new: Provider, ttl: int) -> Handing:
    """Raises :class:`BadInput`, :class:`GateShut` or :class:`OutsideFault`."""
    zone = await old.fetch(origin)
    parts = parts_of(zone, cut)
    addresses = await outside.addresses(new.servers)
    present = await present_at(outside, new, cut) or fresh_zone(cut, new.servers)
    child = await plan(outside, new, child_zone(parts, present), parse_duration(outside.settings.house.ns_ttl))
    glue = {name: tuple((AAAA if ":" in text else A, address_rdata(text)) for text in found) for name, found in addresses.items()}
    wanted = parent_zone(zone, parts, new.servers, ttl, glue).with_serial(next_by_rule(outside, zone))
    return Handing(parts, child, Publication.between(old, zone, wanted))


async def hand_on(outside: Outside, handing: Handing) -> tuple[Published | None, Published]:
    """The child zone published and proven, with every record that the parent zone had there; then the parent's NS set.

    Raises :class:`GateShut` where the child's servers do not answer for all of it; then the parent zone is as it was.
    """
    publication = await ready(outside, handing.child)
    child = await publish(outside, publication) if publication.is_needed else None
    addresses = child.addresses if child else await outside.addresses_of(publication.provider.servers)
    keys = [(each.name, each.rtype) for each in handing.parts.below]
    lost = await wrong_answers(outside, addresses, publication.wanted, [*keys, (handing.parts.cut, NS)])
    if lost:
        raise GateShut(
            f"{handing.child.provider.name} does not answer as {handing.parent.provider.name} did: {'; '.join(lost[:4])}",
            "nothing was changed in the parent zone",
        )
    note_joined(outside, handing.parts.cut, back_id(handing.parts.cut, handing.child.provider))
    parent = await publish(outside, handing.parent)
    before = {(each.name, each.rtype) for each in handing.parts.rest if each.rtype not in OWN}
    changed = await wrong_answers(outside, parent.addresses, handing.parent.wanted, sorted(before))
    if changed:
        raise OutsideFault(f"the rest of the zone is not as it was: {'; '.join(changed[:4])}", "`legatum compare PROVIDER FILE` shows it")
    return child, parent


@dataclass(frozen=True)
class TakingBack:
    """``parent``: the zone with all that the child zone has; ``child``: the child zone, naming the parent's servers. In this order.

    ``ttls``: of the NS set that names the child's servers, in the parent zone and in the child zone.
    """

    cut: Name
    parent: Publication
    child: Publication
    ttls: Ttls


def back_id(cut: Name, held_by: Provider) -> str:
    """What a taking back is called in the journal."""
    return f"{name_text(cut)} back from {held_by.name}"


async def draw_taking_back(outside: Outside, origin: Name, cut: Name, at: Provider, held_by: Provider) -> TakingBack:
    """Raises :class:`BadInput`, :class:`GateShut` or :class:`OutsideFault`."""
    zone, begun = await at.fetch(origin), named_until_now(outside, back_id(cut, held_by))
    interrupted = begun is not None and zone.get(cut, NS) is None  # the parent zone was done
    named = None if interrupted else cut_set(zone, cut)
    child = await held_by.fetch(cut)
    wanted = zone if interrupted else taken_back(zone, child).with_serial(next_by_rule(outside, zone))
    leading, own, above = child, child.apex_ns, zone.apex_ns
    if above is not None and own is not None and own.rdatas != above.rdatas and held_by.changes_apex_ns:
        leading = child.with_rrsets([rrset(cut, NS, own.ttl, above.rdatas)]).with_serial(next_by_rule(outside, child))
    return TakingBack(
        cut,
        Publication.between(at, zone, wanted),
        Publication.between(held_by, child, leading),
        (named.ttl if named else 0, own.ttl if own else 0) if begun is None or not interrupted else begun,
    )


async def take_back(outside: Outside, taking: TakingBack) -> list[str]:
    """Both zones, each proven; from then on nobody names the child's servers. What was done."""
    ident, at, held_by = back_id(taking.cut, taking.child.provider), taking.parent.provider.name, taking.child.provider
    done = []
    if taking.parent.is_needed:
        note_named(outside, taking.cut, ident, taking.ttls)
        published = await publish(outside, taking.parent)
        keys = sorted((each.name, each.rtype) for each in taking.parent.wanted.unsorted if each.rtype not in OWN)
        if wrong := await wrong_answers(outside, published.addresses, taking.parent.wanted, keys):
            raise OutsideFault(f"{at} does not answer as it should: {'; '.join(wrong[:4])}", "`legatum compare PROVIDER FILE` shows it")
        done.append(f"every server of {at} answers for {name_text(taking.cut)} itself, serial {published.serial}")
    if taking.child.is_needed:
        moved = await publish(outside, taking.child)
        done.append(f"every server of {held_by.name} names {at}'s servers, serial {moved.serial}")
    keeps = not held_by.changes_apex_ns
    note_unnamed(outside, taking.cut, ident, taking.ttls, "; ".join(done), keeps)
    return done


async def end_child(outside: Outside, cut: Name, held_by: Provider) -> str:
    """The child zone is served no longer; what was done. Raises :class:`GateShut` where only a person can."""
    if not await end_zone(outside, held_by, cut):
        raise GateShut(f"the settings have no command that ends a zone at {held_by.name}", f"end {name_text(cut)} there by hand")

    async def serving() -> str:
        replies = await asyncio.gather(*(outside.asker.ask(address, cut, SOA) for address in await outside.addresses_of(held_by.servers)))
        return "; ".join(f"{each.server} still answers for it" for each in replies if each.authoritative and each.find(SOA))

    await outside.until_seen(serving, f"the end of {name_text(cut)} at {held_by.name}")
    said = f"no server of {held_by.name} answers for {name_text(cut)} any more"
    note_over(outside, cut, back_id(cut, held_by), said)
    return said
