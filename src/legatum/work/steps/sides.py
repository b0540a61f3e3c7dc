"""Gates about the two sides: the servers delegated to must answer with the NS set wanted, and both sides must hold the same."""

import asyncio

from legatum.core.difference import zone_differences
from legatum.core.name import name_text
from legatum.core.rehearsal.stage import Which
from legatum.core.rrset import targets
from legatum.core.rrtype import NS, SOA
from legatum.core.verdict import names_said
from legatum.core.zone import Zone
from legatum.services.provider import Provider
from legatum.work.steps.action import Job, Refusal


async def side_refusals(job: Job) -> list[Refusal]:
    """Why the servers of the step's target must not be delegated to yet: zone missing, no authority, another NS set."""
    asker, domain, provider = job.outside.asker, name_text(job.domain), job.provider(job.target)
    remedy = f"publish the zone there again: `legatum move advance {domain} --again publish`"
    refusals = []
    for address in [each for found in (await job.outside.addresses(provider.servers)).values() for each in found]:
        soa, ns = await asyncio.gather(asker.ask(address, job.domain, SOA), asker.ask(address, job.domain, NS))
        if not soa.authoritative or soa.find(SOA) is None:
            refusals.append(Refusal(f"{address} of {provider.name} does not answer for {domain}: {soa.outcome}", remedy))
        elif targets(ns.find(NS)) != job.target_ns:
            said = names_said(targets(ns.find(NS)))
            refusals.append(Refusal(f"{address} of {provider.name} hands out {said}, not {names_said(job.target_ns)}", remedy))
    return refusals


def leaving(job: Job) -> Provider:
    """The side that visitors are led away from."""
    return job.provider(Which.NEW if job.target == Which.OLD else Which.OLD)


async def both_zones(job: Job) -> tuple[Zone, Zone]:
    """What the side holds that visitors are led away from, and the one that they are led to."""
    left, right = await asyncio.gather(leaving(job).fetch(job.domain), job.provider(job.target).fetch(job.domain))
    return left, right


async def contents_refusals(job: Job) -> list[Refusal]:
    """Why the two sides must not be exchanged: visitors would miss something."""
    left = [each for each in zone_differences(*await both_zones(job)) if each.weight.refuses]
    if not left:
        return []
    listed = ", ".join(f"{name_text(each.name)} ({each.kind})" for each in left[:4])
    reason = f"{len(left)} RRsets differ between {leaving(job).name} (left) and {job.provider(job.target).name} (right): {listed}"
    return [Refusal(reason, f"somebody edited one side: `legatum move advance {name_text(job.domain)} --again gather`")]
