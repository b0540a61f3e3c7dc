"""What people switch off, or on again: said and journaled, not seen."""

from legatum.core.moves.effects import ServiceBegun, ServiceEnded
from legatum.core.moves.outcome import Outcome
from legatum.work.moves.effects.action import Action


class SayEnded(Action[ServiceEnded]):
    async def perform(self) -> Outcome:
        now = self.now()
        return self.outcome(now, now, f"nobody is sent to {self.effect.address} any more: switch it off when you like")


class SayBegun(Action[ServiceBegun]):
    shows = False

    async def preview(self) -> list[str]:
        return [f"{self.effect.address} has to work again before anybody is sent there: say yes when it does"]

    async def perform(self) -> Outcome:
        now = self.now()
        return self.outcome(now, now, f"{self.effect.address} works again, as was said")
