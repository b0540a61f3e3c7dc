"""Watching the parent's servers until every one of them hands out the NS set wanted, and nothing of the other one."""

import asyncio

from legatum.core.name import name_text
from legatum.core.rrset import targets
from legatum.core.rrtype import NS
from legatum.core.runbook import Outcome
from legatum.core.verdict import names_said
from legatum.net.walk import referral
from legatum.work.steps.action import Action


class Parents(Action):
    async def perform(self) -> Outcome:
        job, asker = self.job, self.job.outside.asker
        cut = await job.outside.walker().parent_of(job.domain)
        first: float | None = None

        async def behind() -> str:
            nonlocal first
            replies = await asyncio.gather(*(asker.ask(address, job.domain, NS) for address in cut.addresses))
            sets = {reply.server: targets(referral(cut.zone, reply) or reply.find(NS)) for reply in replies}
            late = {address: names for address, names in sets.items() if names != job.target_ns}
            if first is None and len(late) < len(sets):
                first = self.now()
            return "; ".join(f"{address} hands out {names_said(names)}" for address, names in late.items())

        everywhere = await job.outside.until_seen(behind, f"the NS set at the servers of {name_text(cut.zone)}")
        summary = f"all {len(cut.addresses)} addresses of the servers of {name_text(cut.zone)} hand out exactly {names_said(job.target_ns)}"
        return self.outcome(everywhere if first is None else first, everywhere, summary)
