"""Which waits a need comes to."""

from collections.abc import Iterable

from legatum.core.duration import rough_text
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
from legatum.core.moves.waiting.keys import fitting, unvouched
from legatum.core.moves.waiting.ns_waits import unasked, unnamed
from legatum.core.timing import AS_WISHED, Caution, Wait


def waits_for(need: Need, scene: Timeline, premises: Premises, caution: Caution, effects: Iterable[Effect] = ()) -> tuple[Wait, ...]:
    """``scene``: everything that was played until then; ``effects``: of the step that has the need.

    Waits for which nothing has to be waited are left out."""
    match need:
        case NoLongerQueried():
            found = unasked(need, scene, premises, caution)
        case NsSetExpired():
            found = unnamed(need, scene, caution)
        case Lowered():
            found = lowered(need, scene, caution)
        case NameKnown():
            found = known(need.host, scene, premises, caution)
        case OldDataExpired():
            found = forgotten(need, scene, premises, caution)
        case Unused():
            found = unused(need.address, scene, caution)
        case DelegationInForce():
            found = uncut(need, scene, premises, caution)
        case DsExpired():
            found = unvouched(need, scene, caution)
        case Lasted():
            found = iter([Wait(need.step, need.seconds, 0, AS_WISHED, f"there since {{at}}, and wanted for {rough_text(need.seconds)}")])
        case ChainConsistent():
            found = fitting(need, scene, effects, premises, caution)
    return tuple(found)
