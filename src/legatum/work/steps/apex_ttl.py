"""The TTL of the apex NS set, lowered on the old side before the change or raised on the new side after it."""

from legatum.core.presentation import difference_text
from legatum.core.rrset import rrset, targets
from legatum.core.rrtype import NS
from legatum.core.runbook import Outcome
from legatum.core.verdict import names_said
from legatum.work.steps.action import Action, Job, Refusal
from legatum.work.steps.apex import apex_addresses, apex_change, plan_apex, see_apex, set_apex


class ApexTtl(Action):
    """``details``: ``side`` (``old`` or ``new``) and ``ttl``, in seconds."""

    def __init__(self, job: Job) -> None:
        super().__init__(job)
        on_old_side = job.step.details["side"] == "old"
        self._provider = job.old if on_old_side else job.new
        self._names = job.old_ns if on_old_side else job.new_ns
        self._wanted = rrset(job.domain, NS, int(job.step.details["ttl"]), self._names)

    async def gate(self) -> list[Refusal]:
        present = (await self._provider.fetch(self.job.domain)).apex_ns
        if targets(present) != self._names:
            reason = f"the NS set at {self._provider.name} is {names_said(targets(present))}, not {names_said(self._names)}"
            return [Refusal(reason, "somebody changed it since the move was drafted: find out who, then draft again")]
        return []

    async def preview(self) -> list[str]:
        zone = await self._provider.fetch(self.job.domain)
        return [difference_text(each) for each in apex_change(await plan_apex(self._provider, zone, self._wanted))]

    async def seen(self) -> Outcome | None:
        if (await self._provider.fetch(self.job.domain)).apex_ns != self._wanted:
            return None
        first = self.now()
        everywhere = await see_apex(self.job.outside, await apex_addresses(self.job.outside, self._provider), self._wanted)
        return self.outcome(first, everywhere, f"every server of {self._provider.name} hands it out with {self._wanted.ttl} already")

    async def perform(self) -> Outcome:
        zone = await self._provider.fetch(self.job.domain)
        done, everywhere = await set_apex(self.job.outside, await plan_apex(self._provider, zone, self._wanted), self._wanted)
        summary = f"every server of {self._provider.name} ({len(done.addresses)} addresses) hands it out with {self._wanted.ttl}"
        return self.outcome(done.first, everywhere, summary, serial=done.serial)
