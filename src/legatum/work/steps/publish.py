"""The gathered zone to the new provider, with the new NS set in it."""

from legatum.core.fault import GateShut, OutsideFault
from legatum.core.name import name_text
from legatum.core.presentation import difference_text
from legatum.core.runbook import Outcome
from legatum.work.contents import read_master_file
from legatum.work.publish import Publication, carry_out, plan, prove
from legatum.work.steps.action import Action, Job, Refusal


class Publish(Action):
    """Gate: the old zone is still the one gathered, and the zone exists at the new provider or can be created there."""

    def __init__(self, job: Job) -> None:
        super().__init__(job)
        self._zone = read_master_file(job.zone_file, job.domain).zone
        self._ttl = int(job.step.details["apex_ttl"])

    async def gate(self) -> list[Refusal]:
        job = self.job
        present = await job.old.fetch(job.domain)
        if present != self._zone:
            reason = f"the zone at {job.old.name} is no longer the one gathered (serial {self._zone.soa.serial}, now {present.soa.serial})"
            return [Refusal(reason, f"gather it again: legatum move advance {name_text(job.domain)} --again gather")]
        return []

    async def preview(self) -> list[str]:
        try:
            publication = await self._plan(create=False)
        except GateShut:
            return [f"the zone does not exist at {self.job.new.name} → it is created there, with {len(self._zone)} RRsets"]
        return [difference_text(each) for each in publication.differences]

    async def seen(self) -> Outcome | None:
        try:
            publication = await self._plan(create=False)
        except (GateShut, OutsideFault):
            return None
        if publication.is_needed:
            return None
        proved = await prove(self.job.outside, publication.provider, publication.current)
        return self.outcome(proved.first, proved.all, f"it is there already, serial {proved.serial}", serial=proved.serial)

    async def perform(self) -> Outcome:
        done = await carry_out(self.job.outside, await self._plan(create=True))
        summary = f"every server of {self.job.new.name} ({len(done.addresses)} addresses) answers with serial {done.serial}; contents equal"
        return self.outcome(done.first, done.all, summary, serial=done.serial)

    async def _plan(self, create: bool) -> Publication:
        return await plan(self.job.outside, self.job.new, self._zone, self._ttl, create)
