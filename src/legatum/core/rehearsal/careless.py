"""The same moves as they are often made: no hold is kept, what leads somewhere is changed first, and what is left
behind goes at once."""

from dataclasses import replace

from legatum.core.moves.effects import Delegated, Gathered, HostSet, Joined, Published, Records, ZoneMade
from legatum.core.moves.runbook import Runbook, Step
from legatum.core.records.rrtype import NS, SOA

LATE = 1200


def careless(move: Runbook) -> Runbook:
    """For comparison only; nothing carries it out. What has to be made is made :data:`LATE` seconds after everybody is
    led there."""
    bare = [replace(each, waits=()) for each in move.steps]
    leading = [each for each in bare if leads(each)]
    looks = [each for each in bare if any(isinstance(one, Published) for one in each.effects)]
    going = [each for each in bare if each.takes_away]
    making = [each for each in bare if each not in leading and _makes(each)]
    leading = [each for each in leading if not _is_way_to_serial(each, leading)]
    late = Step("unnoticed", "Somebody notices that something is missing", (), (), "", "", estimate=LATE)
    return replace(move, steps=(*leading, *looks, *going, *([late, *making] if making else [])))


def _is_way_to_serial(step: Step, steps: list[Step]) -> bool:
    """A step on the way to a serial, which is left out."""
    soas = [
        each for each in steps if all(isinstance(one, Records) and one.changed[0].key[1] == SOA for one in each.effects)
    ]
    return step in soas[:-1]


def _makes(step: Step) -> bool:
    """Whether something is there only since then."""
    return any(
        isinstance(each, ZoneMade | Joined)
        or (isinstance(each, HostSet) and not each.takes_away)
        or (isinstance(each, Records) and all(one.before is None for one in each.changed))
        for each in step.effects
    )


def leads(step: Step) -> bool:
    """Whether visitors come to another place, or address, by it."""
    return any(
        isinstance(each, Delegated)
        or (
            isinstance(each, Records)
            and any(
                one.before.rdatas != one.after.rdatas if one.before and one.after else one.key[1] == NS
                for one in each.changed
            )
        )
        for each in step.effects
    ) and not any(isinstance(each, ZoneMade | Gathered) for each in step.effects)
