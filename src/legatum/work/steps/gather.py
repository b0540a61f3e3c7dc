"""The old provider's zone into a master file beside the move."""

import asyncio

from legatum.core.fault import OutsideFault
from legatum.core.name import name_text
from legatum.core.presentation import master_text
from legatum.core.rrtype import SOA
from legatum.core.runbook import Outcome
from legatum.net.file import write_whole
from legatum.work.steps.action import Action


class Gather(Action):
    """By zone transfer, so the zone is complete; the serial must be the same on every server of the old side."""

    async def perform(self) -> Outcome:
        job = self.job
        zone = await job.old.fetch(job.domain)
        servers = await job.outside.addresses(job.old.servers)
        addresses = [address for each in servers.values() for address in each]

        async def behind() -> str:
            replies = await asyncio.gather(*(job.outside.asker.ask(address, job.domain, SOA) for address in addresses))
            found = {reply.server: reply.find(SOA) for reply in replies}
            return ", ".join(address for address, soa in found.items() if soa is None or soa.rdatas != zone.soa_rrset.rdatas)

        if differing := await behind():
            raise OutsideFault(
                f"not every server of {job.old.name} has serial {zone.soa.serial}: {differing}",
                "look at its secondaries, then go on",
            )
        text = master_text(zone, [f"{name_text(job.domain)}, gathered from {job.old.name} by zone transfer, serial {zone.soa.serial}"])
        write_whole(job.zone_file, text)
        now = self.now()
        summary = f"{len(zone)} RRsets, {zone.record_count} records, serial {zone.soa.serial}; complete: it was transferred whole"
        return self.outcome(now, now, summary, serial=zone.soa.serial, file=job.zone_file.name)
