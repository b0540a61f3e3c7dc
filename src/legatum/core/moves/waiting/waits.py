"""Which waits a need comes to."""

from collections.abc import Iterable

from legatum.core.calendar.duration import rough_text
from legatum.core.calendar.timing import AS_WISHED, Caution, Wait
from legatum.core.moves.effects import Effect
from legatum.core.moves.needs import (
    ChainConsistent,
    DelegationInForce,
    DsExpired,
    Lasted,
    Lowered,
    NameKnown,
    Need,
    NoLongerQueried,
    NsSetExpired,
    OldDataExpired,
    Unused,
)
from legatum.core.moves.place import Premises
from legatum.core.moves.timeline import Timeline
from legatum.core.moves.waiting.contents import forgotten, known, lowered, uncut, unused
from legatum.core.moves.waiting.keys import ds_expired, fitting
from legatum.core.moves.waiting.ns_waits import unasked, unnamed


def waits_for(
    need: Need, timeline: Timeline, premises: Premises, caution: Caution, effects: Iterable[Effect] = ()
) -> tuple[Wait, ...]:
    """``timeline``: everything that was played until then; ``effects``: of the step that has the need.

    Waits for which nothing has to be waited are left out."""
    match need:
        case NoLongerQueried():
            found = unasked(need, timeline, premises, caution)
        case NsSetExpired():
            found = unnamed(need, timeline, caution)
        case Lowered():
            found = lowered(need, timeline, caution)
        case NameKnown():
            found = known(need.host, timeline, premises, caution)
        case OldDataExpired():
            found = forgotten(need, timeline, premises, caution)
        case Unused():
            found = unused(need.address, timeline, caution)
        case DelegationInForce():
            found = uncut(need, timeline, premises, caution)
        case DsExpired():
            found = ds_expired(need, timeline, caution)
        case Lasted():
            found = iter(
                [
                    Wait(
                        need.step,
                        need.seconds,
                        0,
                        AS_WISHED,
                        f"there since {{at}}, and wanted for {rough_text(need.seconds)}",
                    )
                ]
            )
        case ChainConsistent():
            found = fitting(need, timeline, effects, premises, caution)
    return tuple(found)
