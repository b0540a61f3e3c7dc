"""What people switch off, or on again: said and journaled, not seen."""

from legatum.core.moves.drift.position import Refusal
from legatum.core.moves.effects import ServiceBegun, ServiceEnded
from legatum.core.moves.outcome import Outcome
from legatum.core.moves.place import ADDRESSES
from legatum.core.records.address import address_text
from legatum.work.moves.effects.action import Action
from legatum.work.moves.readiness import users_unserved


class SayEnded(Action[ServiceEnded]):
    async def gate(self) -> list[Refusal]:
        """Who uses a name server whose old address ends is answered for at the addresses that it has now."""
        found = []
        for host in self.job.runbook.premises.users:
            sets = [
                track.value
                for (_, _, name, rtype), track in self.job.timeline.rrsets.items()
                if name == host and rtype in ADDRESSES
            ]
            addresses = {address_text(data) for each in sets if each is not None for data in each.rdatas}
            found += await users_unserved(self.job, host, sorted(addresses - {self.effect.address}))
        return found

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
