"""The service on one side is ended: from here on its servers may stop answering."""

import asyncio

from legatum.core.fault import GateShut
from legatum.core.name import name_text
from legatum.core.rehearsal.stage import Which
from legatum.core.rrtype import SOA
from legatum.core.runbook import Outcome
from legatum.work.steps.action import Action, Job


class End(Action):
    """``details``: which ``side`` ends, the old one if not said."""

    def __init__(self, job: Job) -> None:
        super().__init__(job)
        self._provider = job.provider(Which(job.step.details.get("side", Which.OLD)))

    async def preview(self) -> list[str]:
        domain, name = name_text(self.job.domain), self._provider.name
        lines = [f"{domain} at {name}: served → gone"]
        if self.job.step.details.get("side", Which.OLD) == Which.OLD:
            lines.append(f"from here on the way back begins with creating the zone at {name} anew")
        return lines

    async def seen(self) -> Outcome | None:
        if await self._still_serving():
            return None
        now = self.now()
        return self.outcome(now, now, f"no server of {self._provider.name} answers for it any more")

    async def perform(self) -> Outcome:
        job = self.job
        first = self.now()
        if not await self._provider.end(job.domain):
            raise GateShut(
                f"{name_text(job.domain)} is still served at {self._provider.name}, and the settings have no command to end it",
                f"end it there by hand, or set `end` for {self._provider.name}; then: `legatum move advance {name_text(job.domain)}`",
            )
        everywhere = await job.outside.until_seen(self._still_serving, f"the end of the service at {self._provider.name}")
        return self.outcome(first, everywhere, f"no server of {self._provider.name} answers for it any more")

    async def _still_serving(self) -> str:
        addresses = await self.job.outside.addresses_of(self._provider.servers)
        replies = await asyncio.gather(*(self.job.outside.asker.ask(address, self.job.domain, SOA) for address in addresses))
        return ", ".join(reply.server for reply in replies if reply.authoritative and reply.find(SOA))
