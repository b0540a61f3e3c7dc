"""The gaining registrar's own contact in the registrant's place."""

from legatum.core.fault import OutsideFault
from legatum.core.runbook import Outcome
from legatum.work.steps.action import Action


class Registrant(Action):
    @property
    def contact(self) -> str:
        return str(self.job.runbook.premises["registrant"])

    async def preview(self) -> list[str]:
        held = await self.job.gaining.registration(self.job.domain)
        return [f"registrant at {self.job.gaining.name}: {held.registrant or 'none'} → {self.contact}"]

    async def seen(self) -> Outcome | None:
        if self.job.gaining.by_hand:
            return None
        held, now = await self.job.gaining.registration(self.job.domain), self.now()
        return self.outcome(now, now, f"the registrant is {self.contact}") if held.registrant == self.contact else None

    async def perform(self) -> Outcome:
        first = self.now()
        said = await self.job.gaining.change_registrant(self.job.domain, self.contact)
        if await self.seen() is None:
            raise OutsideFault(f"{self.job.gaining.name} said {said}, but shows another registrant", "look at the registrar's own pages")
        return self.outcome(first, self.now(), said)
