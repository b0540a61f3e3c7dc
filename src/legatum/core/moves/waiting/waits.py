"""Which waits a need comes to."""

from collections.abc import Iterable

from legatum.core.duration import rough_text
from legatum.core.moves.effects import Effect
from legatum.core.moves.needs import Fits, Forgotten, Known, Lasted, Lowered, Need, Unasked, Uncut, Unnamed, Unused, Unvouched
from legatum.core.moves.place import Premises
from legatum.core.moves.scene import Scene
from legatum.core.moves.waiting.contents import forgotten, known, lowered, uncut, unused
from legatum.core.moves.waiting.keys import fitting, unvouched
from legatum.core.moves.waiting.leading import unasked, unnamed
from legatum.core.timing import AS_WISHED, Caution, Wait


def waits_for(need: Need, scene: Scene, premises: Premises, caution: Caution, effects: Iterable[Effect] = ()) -> tuple[Wait, ...]:
    """``scene``: everything that was played until then; ``effects``: of the step that has the need.

    Waits for which nothing has to be waited are left out."""
    match need:
        case Unasked():
            found = unasked(need, scene, premises, caution)
        case Unnamed():
            found = unnamed(need, scene, caution)
        case Lowered():
            found = lowered(need, scene, caution)
        case Known():
            found = known(need.host, scene, premises, caution)
        case Forgotten():
            found = forgotten(need, scene, premises, caution)
        case Unused():
            found = unused(need.address, scene, caution)
        case Uncut():
            found = uncut(need, scene, premises, caution)
        case Unvouched():
            found = unvouched(need, scene, caution)
        case Lasted():
            found = iter([Wait(need.step, need.seconds, 0, AS_WISHED, f"there since {{at}}, and wanted for {rough_text(need.seconds)}")])
        case Fits():
            found = fitting(need, scene, effects, premises, caution)
    return tuple(found)
