"""The preconditions of a delegation change (docs/timing.md, rule 4), checked before the first server of either side changes."""

import asyncio

from legatum.core.difference import zone_differences
from legatum.core.name import name_text
from legatum.core.rrset import targets
from legatum.core.rrtype import NS, SOA
from legatum.core.runbook import Outcome
from legatum.core.verdict import names_said
from legatum.work.steps.action import Action, Job, Refusal
from legatum.work.steps.apex import apex_addresses
from legatum.work.steps.compare import compare_sides, require_equal


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


async def new_side_refusals(job: Job) -> list[Refusal]:
    """Why the new servers must not be delegated to yet: zone missing, no authority, another NS set."""
    asker, refusals = job.outside.asker, []
    for address in await apex_addresses(job.outside, job.new):
        soa, ns = await asyncio.gather(asker.ask(address, job.domain, SOA), asker.ask(address, job.domain, NS))
        if not soa.authoritative or soa.find(SOA) is None:
            reason = f"{address} of {job.new.name} does not answer for {name_text(job.domain)}: {soa.outcome}"
            refusals.append(
                Refusal(
                    reason,
                    f"publish the zone there again: legatum move advance {name_text(job.domain)} --again publish",
                )
            )
        elif targets(ns.find(NS)) != job.new_ns:
            reason = f"{address} of {job.new.name} hands out {names_said(targets(ns.find(NS)))}, not {names_said(job.new_ns)}"
            refusals.append(
                Refusal(
                    reason,
                    f"publish the zone there again: legatum move advance {name_text(job.domain)} --again publish",
                )
            )
    return refusals


async def _contents_refusals(job: Job) -> list[Refusal]:
    old, new = await asyncio.gather(job.old.fetch(job.domain), job.new.fetch(job.domain))
    left = [each for each in zone_differences(old, new) if not each.expected]
    if not left:
        return []
    listed = ", ".join(f"{name_text(each.name)} ({each.kind})" for each in left[:4])
    reason = f"{len(left)} RRsets differ between {job.old.name} (left) and {job.new.name} (right): {listed}"
    return [Refusal(reason, f"somebody edited one side: legatum move advance {name_text(job.domain)} --again gather")]
