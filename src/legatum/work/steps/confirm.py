"""Parent, child, registrar and all resolvers: everybody has the NS set wanted, nobody another one."""

from dataclasses import replace

from legatum.core.fault import GateShut
from legatum.core.runbook import Outcome
from legatum.core.verdict import agreement, names_said
from legatum.work.look.registration import registration_view
from legatum.work.steps.action import Action
from legatum.work.survey import survey


class Confirm(Action):
    async def perform(self) -> Outcome:
        job = self.job
        looked = await survey(job.outside, job.domain)
        picture = replace(looked.picture, registration=await registration_view(job.outside, job.registrar.name, job.domain))
        verdict = agreement(picture, job.target_ns)
        if not verdict.confirmed:
            wrong = verdict.disagreeing
            first = f"{wrong[0].party} {wrong[0].who}: {wrong[0].said}"
            raise GateShut(
                f"{len(wrong)} of {len(verdict.checks)} do not have {names_said(job.target_ns)}, first {first}",
                "an NS left over at the registrar must be taken out there; a resolver lets go when its TTL ends",
            )
        now = self.now()
        return self.outcome(now, now, f"all {len(verdict.checks)} agree: parent, child, registrar and resolvers")
