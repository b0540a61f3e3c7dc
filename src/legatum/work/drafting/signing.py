"""Looking how a domain is signed: the DS set at every parent server, keys and signatures at every server of both sides, one by one."""

import asyncio
from collections.abc import Mapping, Sequence

from legatum.core.dnssec.serving import ServerKeys, anchors_of
from legatum.core.fault import OutsideFault
from legatum.core.moves.kinds.signing import Obstacle, Signing
from legatum.core.moves.meanwhile.drift import signing_drift
from legatum.core.moves.meanwhile.position import Position
from legatum.core.moves.place import PARENT
from legatum.core.moves.runbook import Outcome, Runbook, leads_elsewhere, next_step
from legatum.core.records.name import Name
from legatum.core.records.rrtype import DS
from legatum.work.look.chain import keys_at
from legatum.work.outside import Outside


async def look_at_signing(outside: Outside, domain: Name, left: Sequence[str], right: Sequence[str]) -> Signing:
    """``left``, ``right``: addresses of the old side and of the new one. Raises :class:`OutsideFault`."""
    asker = outside.asker
    cut = await outside.walker().parent_of(domain)
    parents = asker.askable(cut.addresses)
    sides = [asker.askable(each) for each in (left, right)]
    above = await asyncio.gather(*(asker.ask(address, domain, DS) for address in parents))
    below = await asyncio.gather(*(keys_at(outside, address, domain) for side in sides for address in side))
    given = dict(zip((address for side in sides for address in side), below, strict=True))
    silent = [each.server for each in above if not each.answered]
    silent += [address for address, (_, answered) in given.items() if not answered]
    ds = {each.server: anchors_of(found.rdatas, found.ttl) if (found := each.find(DS)) else anchors_of((), 0) for each in above}
    old, new = ({address: given[address][0] for address in side} for side in sides)
    return Signing(ds, old, new, tuple(dict.fromkeys(silent)))


async def signed_meanwhile(outside: Outside, runbook: Runbook, outcomes: Mapping[str, Outcome]) -> tuple[str, ...]:
    """What a rehearsal of the runbook knows nothing of, as things are now; empty where the domain is signed, or not, as it has it."""
    try:
        position = Position(runbook, next_step(runbook, outcomes) or runbook.steps[-1], outcomes)
        return tuple(each.reason for each in await signing_obstacles(outside, position))
    except OutsideFault as fault:
        return (f"whether the domain is signed now could not be looked at: {fault.message}",)


async def signing_obstacles(outside: Outside, position: Position) -> list[Obstacle]:
    """What is not as the steps done have left it. Raises :class:`OutsideFault`."""
    runbook = position.runbook
    if not (any(map(leads_elsewhere, runbook.steps)) or runbook.of_keys) or next_step(runbook, position.outcomes) is None:
        return []  # whoever signs the zone goes on doing so
    return signing_drift(position, *await _looked(outside, position))


async def _looked(outside: Outside, position: Position) -> tuple[Signing, Mapping[str, Mapping[str, ServerKeys]]]:
    """The parent's side, and each place's that serves the domain now, by address."""
    places = {place: position.runbook.premises.place(place) for place in position.scene.serving(position.domain) if place != PARENT}
    addresses = {place: [address for each in found.servers.values() for address in each] for place, found in places.items()}
    seen = await look_at_signing(outside, position.domain, [each for some in addresses.values() for each in some], ())
    return seen, {place: {address: seen.old[address] for address in some if address in seen.old} for place, some in addresses.items()}
