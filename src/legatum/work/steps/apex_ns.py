"""The old side's apex NS set becomes the new one, so that caches that trust the child leave too."""

from legatum.core.presentation import difference_text
from legatum.core.rrset import rrset
from legatum.core.rrtype import NS
from legatum.core.runbook import Outcome
from legatum.work.steps.action import Action, Job, Refusal
from legatum.work.steps.apex import apex_addresses, apex_change, plan_apex, see_apex, set_apex
from legatum.work.steps.ready import new_side_refusals


class ApexNs(Action):
    def __init__(self, job: Job) -> None:
        super().__init__(job)
        self._wanted = rrset(job.domain, NS, int(job.step.details["apex_ttl"]), job.new_ns)

    async def gate(self) -> list[Refusal]:
        return await new_side_refusals(self.job)

    async def preview(self) -> list[str]:
        zone = await self.job.old.fetch(self.job.domain)
        return [difference_text(each) for each in apex_change(await plan_apex(self.job.old, zone, self._wanted))]

    async def seen(self) -> Outcome | None:
        if (await self.job.old.fetch(self.job.domain)).apex_ns != self._wanted:
            return None
        first = self.now()
        everywhere = await see_apex(self.job.outside, await apex_addresses(self.job.outside, self.job.old), self._wanted)
        return self.outcome(first, everywhere, f"every server of {self.job.old.name} hands out the new NS set already")

    async def perform(self) -> Outcome:
        old = self.job.old
        zone = await old.fetch(self.job.domain)
        done, everywhere = await set_apex(self.job.outside, await plan_apex(old, zone, self._wanted), self._wanted)
        summary = f"every server of {old.name} ({len(done.addresses)} addresses) hands out the new NS set"
        return self.outcome(done.first, everywhere, summary, serial=done.serial)
