"""Gates about who is led to: the servers must answer with the NS set that is expected of them, and both sides must hold the same."""

import asyncio
from collections.abc import Sequence

from legatum.core.moves.effects import Gathered
from legatum.core.moves.runbook import leads_elsewhere
from legatum.core.observation.registration import forbids_updates
from legatum.core.observation.verdict import names_said
from legatum.core.records.name import Name, is_under, name_text
from legatum.core.records.rrset import targets
from legatum.core.records.rrtype import NS, SOA
from legatum.core.zones.difference import Difference, zone_differences
from legatum.work.moves.job import Job, Refusal


async def unready(job: Job, zone: Name, hosts: Sequence[Name], ns: Sequence[Name] | None = None) -> list[Refusal]:
    """Why these servers must not be led to yet: zone missing, no authority, another NS set than ``ns``, or, without it, than expected."""
    asker, text = job.outside.asker, name_text(zone)
    refusals = []
    for host, addresses in (await job.outside.addresses(hosts)).items():
        place = job.runbook.premises.place_of(host)
        expected = tuple(sorted(ns)) if ns else targets(job.ns_at(place, zone)) if place else ()
        who = f"of {place} " if place else ""
        remedy = f"publish the zone there again: `legatum move advance {name_text(job.domain)} --again {_making(job, place) or 'STEP'}`"
        for address in addresses:
            soa, held = await asyncio.gather(asker.ask(address, zone, SOA), asker.ask(address, zone, NS))
            if soa.authoritative and place and _answers_from_above(job, place, zone):
                continue
            if not soa.authoritative or soa.find(SOA) is None:
                refusals.append(Refusal(f"{address} {who}does not answer for {text}: {soa.outcome}", remedy))
            elif expected and targets(held.find(NS)) != expected:
                said = names_said(targets(held.find(NS)))
                refusals.append(Refusal(f"{address} {who}hands out {said}, not {names_said(expected)}", remedy))
    return refusals


def _answers_from_above(job: Job, place: str, zone: Name) -> bool:
    """The place has the zone above, and answers for this part of it itself."""
    return (place, zone) not in job.scene.served and any(where == place and is_under(zone, each) for where, each in job.scene.served)


def _making(job: Job, place: str | None) -> str:
    """The step by which the zone came there."""
    return next(
        (step.id for step in job.runbook.steps for effect in step.effects if step.changes and getattr(effect, "place", "") == place), ""
    )


async def locked(job: Job, registrar: str) -> list[Refusal]:
    """While the registry lets nobody change the name servers."""
    held = await job.glance.registration(registrar, job.domain)
    stops = [status for status in held.statuses if forbids_updates(status)]
    remedy = (
        f"unlock it first: `legatum registration unlock {name_text(job.domain)} --registrar {registrar}`; a lock of "
        f"the registry's only it can lift"
    )
    return [Refusal(f"the registration's status forbids another NS set: {', '.join(stops)}", remedy)] if stops else []


async def differing(job: Job, zone: Name, left: str, right: str) -> list[Difference]:
    """RRsets by which visitors would be worse off at the right one, what the plan itself makes different left aside."""
    one, other = await asyncio.gather(job.zone(left, zone), job.zone(right, zone))
    meant = {key for key in job.scene.keys(zone) if job.scene.says(left, zone, *key) != job.scene.says(right, zone, *key)}
    return [each for each in zone_differences(one, other) if each.weight.refuses and (each.name, each.rtype) not in meant]


def differing_refusal(job: Job, zone: Name, left: str, right: str, found: Sequence[Difference]) -> Refusal:
    listed = ", ".join(f"{name_text(each.name)} ({each.kind})" for each in found[:4])
    reason = f"{len(found)} RRsets differ between {left} (left) and {right} (right): {listed}"
    return Refusal(reason, edit_remedy(job, left, right))


def edit_remedy(job: Job, left: str, right: str) -> str:
    """What to do about an edit at one side only."""
    domain = name_text(job.domain)
    gathering = next((step.id for step in job.runbook.steps if any(isinstance(each, Gathered) for each in step.effects)), "")
    if leading_begun(job) or not gathering:
        return f"make the same edit on both sides, then the same command again; see all: `legatum compare {left} {right} --domain {domain}`"
    return f"somebody edited one side: `legatum move advance {domain} --again {gathering}`"


def leading_begun(job: Job) -> bool:
    """From then on both sides are in use."""
    return any(leads_elsewhere(step) for step in job.runbook.steps if step.id in job.outcomes)
