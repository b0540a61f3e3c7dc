"""Looking whether a domain is signed: DS at every parent server, keys at every server of both sides, asked for one by one."""

import asyncio
from collections.abc import Sequence

from legatum.core.dnssec.key import ds_texts
from legatum.core.fault import OutsideFault
from legatum.core.moves.kinds.signing import Obstacle, Signing, obstacles
from legatum.core.moves.runbook import Runbook, leads_elsewhere
from legatum.core.records.name import Name, is_under
from legatum.core.records.rrset import RRset, targets
from legatum.core.records.rrtype import CDNSKEY, CDS, DNSKEY, DS, NS
from legatum.net.reply import Reply
from legatum.work.outside import Outside

_KEYS = (DNSKEY, CDS, CDNSKEY)


async def look_at_signing(outside: Outside, domain: Name, left: Sequence[str], right: Sequence[str]) -> Signing:
    """``left``, ``right``: addresses of the old side and of the new one. Raises :class:`OutsideFault`."""
    asker = outside.asker
    cut = await outside.walker().parent_of(domain)
    parents = asker.askable(cut.addresses)
    sides = [asker.askable(each) for each in (left, right)]
    questions = [(address, DS) for address in parents] + [(address, rtype) for side in sides for address in side for rtype in _KEYS]
    replies = dict(zip(questions, await asyncio.gather(*(asker.ask(address, domain, rtype) for address, rtype in questions)), strict=True))
    ds = {address: texts for address in parents if (texts := _texts_of(replies[address, DS].find(DS)))}
    found = []
    for side in sides:
        held = {address: tuple(_kind(rtype) for rtype in _KEYS if _holds(replies[address, rtype])) for address in side}
        found.append({address: kinds for address, kinds in held.items() if kinds})
    silent = tuple(dict.fromkeys(address for (address, _), reply in replies.items() if not reply.answered))
    return Signing(ds, found[0], found[1], silent, len(parents), len(sides[0]) + len(sides[1]))


async def signed_meanwhile(outside: Outside, runbook: Runbook) -> tuple[str, ...]:
    """What a rehearsal of the runbook knows nothing of, as things are now; empty for a domain that is still unsigned."""
    try:
        return tuple(each.reason for each in await signing_obstacles(outside, runbook))
    except OutsideFault as fault:
        return (f"whether the domain is signed now could not be looked at: {fault.message}",)


async def signing_obstacles(outside: Outside, runbook: Runbook) -> list[Obstacle]:
    """Why the domain cannot be led as an unsigned one, as things are now. Raises :class:`OutsideFault`."""
    if not any(map(leads_elsewhere, runbook.steps)):
        return []  # whoever signs the zone goes on doing so
    old, new = _sides_of(runbook)
    sides = await asyncio.gather(_addresses(outside, runbook, old), _addresses(outside, runbook, new))
    seen = await look_at_signing(outside, runbook.domain, *sides)
    return list(obstacles(runbook.domain, seen, _who(runbook, old), _who(runbook, new)))


def _sides_of(runbook: Runbook) -> tuple[tuple[Name, ...], tuple[Name, ...]]:
    """Name servers that led when it was drafted, and all others that the plan has to do with."""
    premises = runbook.premises
    sets = [each for served in premises.served for each in served.rrsets if each.rtype == NS and each.name == runbook.domain]
    leading = {host for each in sets for host in targets(each) if premises.place_of(host)}
    places = {getattr(effect, "place", "") for step in runbook.steps for effect in step.effects}
    known = {host for place in premises.places if place.name in places for host in place.servers if not is_under(host, runbook.domain)}
    return tuple(sorted(leading)), tuple(sorted(known - leading))


async def _addresses(outside: Outside, runbook: Runbook, servers: Sequence[Name]) -> tuple[str, ...]:
    """Own name servers at the addresses that they had: the plan itself may have taken them out of the zone."""
    own = [host for host in servers if is_under(host, runbook.domain)]
    known = [address for host in own for address in runbook.premises.fixed_addresses(host)]
    return (*known, *await outside.addresses_of(host for host in servers if host not in own))


def _who(runbook: Runbook, servers: tuple[Name, ...]) -> str:
    found = dict.fromkeys(place for host in servers if (place := runbook.premises.place_of(host)))
    return " and ".join(found) or "the other side"


def _holds(reply: Reply) -> bool:
    return reply.authoritative and reply.find(reply.rtype) is not None


def _kind(rtype: int) -> str:
    return {DNSKEY: "DNSKEY", CDS: "CDS", CDNSKEY: "CDNSKEY"}[rtype]


def _texts_of(rrset: RRset | None) -> tuple[str, ...]:
    return tuple(ds_texts(rrset.rdatas)) if rrset else ()
