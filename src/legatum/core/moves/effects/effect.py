"""What every effect has in common."""

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from legatum.core.moves.scene import Scene


class Effect:
    """Override what applies. ``changes``: whether anything outside is changed; ``takes_away``: whether somebody might still lean on what
    goes with it; ``of_registration``: it concerns the registration alone, and nothing that caches hold."""

    __slots__ = ()
    changes = True
    takes_away = False
    of_registration = False

    def play(self, scene: "Scene", first: float, everywhere: float, step: str) -> None:
        """What places say from ``first`` on at the first server, from ``everywhere`` on at all of them."""

    def reverse(self) -> "Effect | None":
        """What takes it back; None where nothing does, or there is nothing to take back."""
        return None
