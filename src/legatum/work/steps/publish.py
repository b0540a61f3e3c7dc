"""The zone to one side, with that side's NS set in it: the gathered one to the new side, or what the new side serves back to the old."""

from legatum.core.fault import GateShut, OutsideFault
from legatum.core.name import name_text
from legatum.core.presentation import difference_text
from legatum.core.rehearsal.stage import Which
from legatum.core.runbook import Outcome
from legatum.core.zone import Zone
from legatum.work.contents import read_master_file
from legatum.work.publish import Publication, carry_out, plan, prove
from legatum.work.steps.action import Action, Job, Refusal


class Publish(Action):
    """``details``: to which ``side`` (the new one if not said), with which ``apex_ttl``.

    Gate: the old zone is still the one gathered; the zone exists at the provider or can be created there.
    """

    def __init__(self, job: Job) -> None:
        super().__init__(job)
        self._side = Which(job.step.details.get("side", Which.NEW))
        self._provider = job.provider(self._side)
        self._ttl = int(job.step.details["apex_ttl"])

    async def gate(self) -> list[Refusal]:
        job = self.job
        if self._side == Which.OLD:
            return []
        gathered, present = await self._zone(), await job.old.fetch(job.domain)
        if present != gathered:
            reason = f"the zone at {job.old.name} is no longer the one gathered (serial {gathered.soa.serial}, now {present.soa.serial})"
            return [Refusal(reason, f"gather it again: `legatum move advance {name_text(job.domain)} --again gather`")]
        return []

    async def preview(self) -> list[str]:
        publication = await self._plan()
        if publication.is_new:
            return [f"the zone does not exist at {self._provider.name} → it is created there, with {len(publication.wanted)} RRsets"]
        return [difference_text(each) for each in publication.differences]

    async def seen(self) -> Outcome | None:
        try:
            publication = await self._plan()
        except (GateShut, OutsideFault):
            return None
        if publication.is_needed:
            return None
        proved = await prove(self.job.outside, publication)
        return self.outcome(proved.first, proved.all, f"it is there already, serial {proved.serial}", serial=proved.serial)

    async def perform(self) -> Outcome:
        done = await carry_out(self.job.outside, await self._plan())
        where = f"every server of {self._provider.name} ({len(done.addresses)} addresses)"
        return self.outcome(done.first, done.all, f"{where} answers with serial {done.serial}; contents equal", serial=done.serial)

    async def _plan(self) -> Publication:
        return await plan(self.job.outside, self._provider, await self._zone(), self._ttl)

    async def _zone(self) -> Zone:
        if self._side == Which.OLD:
            return await self.job.new.fetch(self.job.domain)
        return read_master_file(self.job.zone_file, self.job.domain).zone
