"""What people switch off: an address that visitors, or questions, were sent to."""

from dataclasses import dataclass

from legatum.core.moves.effects.effect import Effect
from legatum.core.moves.needs import Need, Unused
from legatum.core.moves.timeline import Timeline


@dataclass(frozen=True, slots=True)
class ServiceEnded(Effect):
    """From here on nobody is sent to ``address``, and it may be switched off. The tool switches nothing off; it says
    that one may. ``place``: whose name server it is of, empty for what visitors are sent to."""

    address: str
    place: str = ""
    changes = False
    takes_away = True
    felt = True

    @property
    def needs(self) -> tuple[Need, ...]:
        return (Unused(self.address),)

    def play(self, timeline: Timeline, first: float, everywhere: float, step: str) -> None:
        if self.address in timeline.answering:
            timeline.set_place(self.address, None, first, everywhere, step)
        else:
            timeline.set_service(self.address, False, first, everywhere, step)

    def reverse(self) -> "ServiceBegun":
        return ServiceBegun(self.address, self.place)


@dataclass(frozen=True, slots=True)
class ServiceBegun(Effect):
    """The address works again: somebody has switched it on."""

    address: str
    place: str = ""

    def play(self, timeline: Timeline, first: float, everywhere: float, step: str) -> None:
        if self.address in timeline.answering:
            timeline.set_place(self.address, self.place or None, first, everywhere, step)
        else:
            timeline.set_service(self.address, True, first, everywhere, step)

    def reverse(self) -> ServiceEnded:
        return ServiceEnded(self.address, self.place)
