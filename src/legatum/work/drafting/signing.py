"""Whether a domain is still signed, or not, as the steps done have left it."""

from collections.abc import Mapping
from types import MappingProxyType
from typing import NamedTuple

from legatum.core.dnssec.serving import ServerKeys
from legatum.core.moves.drift.drift import signing_drift
from legatum.core.moves.drift.position import Position
from legatum.core.moves.kinds.trust.signature_expiry import Obstacle, Signing, first_to_run_out, running_out
from legatum.core.moves.outcome import Outcome
from legatum.core.moves.place import PARENT
from legatum.core.moves.runbook import Runbook, leads_elsewhere, next_step
from legatum.core.running.fault import OutsideFault
from legatum.work.look.signing import look_at_signing
from legatum.work.memory import note_ds, note_keys
from legatum.work.run_context import RunContext


class Meanwhile(NamedTuple):
    """What a rehearsal of a runbook knows nothing of, as things are now, in words: nothing where the domain is signed,
    or not, as it has it. ``ends``: where signatures run out within what is ahead, by place."""

    reasons: tuple[str, ...] = ()
    ends: Mapping[str, float] = MappingProxyType({})


async def signed_meanwhile(context: RunContext, runbook: Runbook, outcomes: Mapping[str, Outcome]) -> Meanwhile:
    position = Position(runbook, next_step(runbook, outcomes) or runbook.steps[-1], outcomes)
    if not _concerns(position):
        return Meanwhile()
    try:
        seen, served = await _looked(context, position)
    except OutsideFault as fault:
        return Meanwhile((f"whether the domain is signed now could not be looked at: {fault.message}",))
    now = context.clock.now()
    ends = {place: until for place, by in served.items() if (until := first_to_run_out(by.values())) is not None}
    ends = {place: until for place, until in ends.items() if any(running_out(runbook, outcomes, until, now))}
    return Meanwhile(tuple(each.reason for each in signing_drift(position, seen, served, now)), ends)


async def signing_obstacles(context: RunContext, position: Position) -> list[Obstacle]:
    """What is not as the steps done have left it. Raises :class:`OutsideFault`."""
    return (
        signing_drift(position, *await _looked(context, position), context.clock.now()) if _concerns(position) else []
    )


def _concerns(position: Position) -> bool:
    """Else whoever signs the zone goes on doing so."""
    runbook = position.runbook
    return (any(map(leads_elsewhere, runbook.steps)) or runbook.of_keys) and next_step(
        runbook, position.outcomes
    ) is not None


async def _looked(context: RunContext, position: Position) -> tuple[Signing, Mapping[str, Mapping[str, ServerKeys]]]:
    """The parent's side, and each place's that serves the domain now, by address."""
    places = {
        place: position.runbook.premises.place(place)
        for place in position.timeline.serving(position.domain)
        if place != PARENT
    }
    addresses = {
        place: [address for each in found.servers.values() for address in each] for place, found in places.items()
    }
    seen = await look_at_signing(context, position.domain, [each for some in addresses.values() for each in some], ())
    note_ds(context, position.domain, seen.ds.values())
    given = {
        place: {address: seen.old[address] for address in some if address in seen.old}
        for place, some in addresses.items()
    }
    for place, by in given.items():
        heard = [each for address, each in by.items() if address not in seen.silent]
        note_keys(context, place, position.domain, heard, len(heard) == len(addresses[place]))
    return seen, given
