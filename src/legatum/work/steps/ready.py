"""The preconditions of a delegation change (docs/timing.md, rule 4), checked before the first server of either side changes."""

import asyncio

from legatum.core.difference import zone_differences
from legatum.core.name import name_text
from legatum.core.runbook import Outcome
from legatum.work.steps.action import Action, Job, Refusal
from legatum.work.steps.compare import compare_sides, require_equal
from legatum.work.steps.new_side import new_side_refusals


class Ready(Action):
    """Every new server answers with the new NS set, every NS name has its address, and both sides hold and answer the same."""

    async def gate(self) -> list[Refusal]:
        return await new_side_refusals(self.job) or await _contents_refusals(self.job)

    async def perform(self) -> Outcome:
        compared = await compare_sides(self.job)
        require_equal(self.job, compared)
        now = self.now()
        summary = f"{compared.questions} questions to each of {len(compared.sides)} addresses: the new side answers as the old one does"
        return self.outcome(now, now, summary)


async def _contents_refusals(job: Job) -> list[Refusal]:
    old, new = await asyncio.gather(job.old.fetch(job.domain), job.new.fetch(job.domain))
    left = [each for each in zone_differences(old, new) if not each.expected]
    if not left:
        return []
    listed = ", ".join(f"{name_text(each.name)} ({each.kind})" for each in left[:4])
    reason = f"{len(left)} RRsets differ between {job.old.name} (left) and {job.new.name} (right): {listed}"
    return [Refusal(reason, f"somebody edited one side: legatum move advance {name_text(job.domain)} --again gather")]
