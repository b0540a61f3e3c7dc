"""The preconditions of a delegation change (docs/timing.md, rule 4), checked before the first server of either side changes."""

from legatum.core.runbook import Outcome
from legatum.work.steps.action import Action, Refusal
from legatum.work.steps.compare import compare_sides, require_equal, same_text
from legatum.work.steps.sides import contents_refusals, side_refusals


class Ready(Action):
    """Every server to be delegated to answers with its NS set, every NS name has its address, both sides hold and answer the same."""

    async def gate(self) -> list[Refusal]:
        return await side_refusals(self.job) or await contents_refusals(self.job)

    async def perform(self) -> Outcome:
        compared = await compare_sides(self.job)
        require_equal(self.job, compared)
        now = self.now()
        summary = f"{compared.questions} questions to each of {len(compared.sides)} addresses: {same_text(compared)}"
        return self.outcome(now, now, summary)
