"""The gate that every change of delegation has to pass: the new servers answer for the zone, with the new NS set."""

import asyncio

from legatum.core.name import name_text
from legatum.core.rrset import targets
from legatum.core.rrtype import NS, SOA
from legatum.core.verdict import names_said
from legatum.work.steps.action import Job, Refusal


async def new_side_refusals(job: Job) -> list[Refusal]:
    """Why the new servers must not be delegated to yet: zone missing, no authority, another NS set."""
    asker, refusals = job.outside.asker, []
    for address in [each for found in (await job.outside.addresses(job.new.servers)).values() for each in found]:
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
