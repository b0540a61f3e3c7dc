"""The same move as it is often done: the NS set switched first, TTLs left alone, the old zone deleted at once."""

from dataclasses import replace

from legatum.core.moves.provider import END, PARENTS, PUBLISH, SWITCH
from legatum.core.runbook import Runbook

LATE = 1200


def careless(move: Runbook) -> Runbook:
    """For comparison only; nothing carries it out. The zone is put at the new provider :data:`LATE` seconds after the switch."""
    order = [replace(move.step(step), waits=()) for step in (SWITCH, PARENTS, END)]
    wait_for_zone = replace(move.step("gather"), id="unnoticed", title="Somebody notices that the zone is missing", estimate=LATE)
    ttl = int(move.premises["apex_ns_ttl"])
    publish = replace(move.step(PUBLISH), waits=(), details={**move.step(PUBLISH).details, "apex_ttl": ttl})
    return replace(move, kind="careless", steps=(*order, wait_for_zone, publish))
