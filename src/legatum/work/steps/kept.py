"""After a transfer: what the registry holds, and what is published, must be what it was."""

from legatum.core.fault import GateShut, OutsideFault
from legatum.core.moves.transfer import differences
from legatum.core.name import name_text
from legatum.core.runbook import Outcome
from legatum.core.verdict import names_said
from legatum.work.registration import published
from legatum.work.steps.action import Action
from legatum.work.steps.registered import look_at_held


class Kept(Action):
    async def perform(self) -> Outcome:
        held, _ = await look_at_held(self.job.outside, self.job.domain, self.job.gaining)
        if wrong := differences(self.job.runbook.premises, held):
            raise GateShut(
                "; ".join(wrong),
                f"set it right at {self.job.gaining.name}: "
                f"`legatum registration nameservers DOMAIN --to PROVIDER --registrar NAME`, or the DS records, or the hosts",
            )
        now = self.now()
        counted = f"{len(held.nameservers)} name servers, {len(held.ds)} DS records, {len(held.hosts)} hosts"
        return self.outcome(now, now, f"{counted}: all as before; it expires on {held.expires[:10]}")


class Settled(Action):
    """RDAP names the gaining registrar, and nobody was told of other name servers."""

    async def perform(self) -> Outcome:
        job, before = self.job, str(self.job.runbook.premises["registered_with"])

        async def missing() -> str:
            held, _ = await look_at_held(job.outside, job.domain)
            if held.registrar == before:
                return f"registration data still name {before}"
            sets = await published(job.outside, job.domain)
            wrong = next(((address, each) for address, each in sets.items() if each is not None and each != job.new_ns), None)
            return f"{wrong[0]} hands out {names_said(wrong[1])}" if wrong else ""

        if job.outside.settings.rdap is None:
            raise OutsideFault("no [rdap] in the settings to see the registration data by", "see docs/settings.md")
        when = await job.outside.until_seen(missing, f"the registration data of {name_text(job.domain)}")
        held, _ = await look_at_held(job.outside, job.domain)
        return self.outcome(when, when, f"registration data name {held.registrar}; the parent's servers hand out the same NS set")
