"""What every effect has in common."""

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from legatum.core.moves.needs import Need
    from legatum.core.moves.timeline import Timeline


class Effect:
    """Override what applies. ``changes``: whether anything outside is changed; ``takes_away``: whether somebody might
    still use what goes with it; ``felt``: visitors may get something else by it, or nothing if it goes wrong;
    ``shown_later``: only a later look can show since when it is true of all servers; ``of_registration``: it concerns
    the registration alone, and nothing that caches hold."""

    __slots__ = ()
    changes = True
    of_registration = False
    shown_later = False

    @property
    def takes_away(self) -> bool:
        return False

    @property
    def felt(self) -> bool:
        return False

    @property
    def needs(self) -> "tuple[Need, ...]":
        """What must be true of caches before it, whoever plans it."""
        return ()

    def play(self, timeline: "Timeline", first: float, everywhere: float, step: str) -> None:
        """What places say from ``first`` on at the first server, from ``everywhere`` on at all of them."""

    def concerns(self, effect: "Effect") -> bool:
        """For a look: whether it shows when the other effect was everywhere."""
        return False

    def reverse(self) -> "Effect | None":
        """What takes it back; None where nothing does, or there is nothing to take back."""
        return None
