"""Another authorisation code after a transfer, which nobody knows: whoever needs one sets it then."""

from legatum.core.runbook import Outcome
from legatum.work.steps.action import Action
from legatum.work.steps.transfer import new_code


class Code(Action):
    shows = False

    async def preview(self) -> list[str]:
        return [f"authorisation code at {self.job.gaining.name}: the one that was used → one that is shown to nobody"]

    async def perform(self) -> Outcome:
        first = self.now()
        said = await self.job.gaining.change_code(self.job.domain, new_code())
        return self.outcome(first, self.now(), said)
