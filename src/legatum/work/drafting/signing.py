"""Whether a domain is still signed, or not, as the steps done have left it."""

from collections.abc import Mapping

from legatum.core.dnssec.serving import ServerKeys
from legatum.core.fault import OutsideFault
from legatum.core.moves.kinds.trust.signing import Obstacle, Signing
from legatum.core.moves.meanwhile.drift import signing_drift
from legatum.core.moves.meanwhile.position import Position
from legatum.core.moves.place import PARENT
from legatum.core.moves.runbook import Outcome, Runbook, leads_elsewhere, next_step
from legatum.work.look.signing import look_at_signing
from legatum.work.outside import Outside


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
    return signing_drift(position, *await _looked(outside, position), outside.clock.now())


async def _looked(outside: Outside, position: Position) -> tuple[Signing, Mapping[str, Mapping[str, ServerKeys]]]:
    """The parent's side, and each place's that serves the domain now, by address."""
    places = {place: position.runbook.premises.place(place) for place in position.scene.serving(position.domain) if place != PARENT}
    addresses = {place: [address for each in found.servers.values() for address in each] for place, found in places.items()}
    seen = await look_at_signing(outside, position.domain, [each for some in addresses.values() for each in some], ())
    return seen, {place: {address: seen.old[address] for address in some if address in seen.old} for place, some in addresses.items()}
