"""Gates about who is led to: the servers must answer with the NS set that is expected of them, and both sides must hold
the same."""

import asyncio
from collections.abc import Sequence

from legatum.core.agreement.verdict import names_said
from legatum.core.moves.drift.position import Refusal
from legatum.core.moves.drift.sides import differing_refusal, worse_at
from legatum.core.observation.registration import forbids_updates
from legatum.core.records.name import ROOT, Name, is_under, name_text
from legatum.core.records.rrset import targets
from legatum.core.records.rrtype import NS, SOA
from legatum.work.look.chain import link_of
from legatum.work.moves.step_context import StepContext
from legatum.work.registry.hosts import not_served


async def unready(
    job: StepContext, zone: Name, hosts: Sequence[Name], ns: Sequence[Name] | None = None
) -> list[Refusal]:
    """Why these servers must not be led to yet: zone missing, no authority, another NS set than ``ns``, or, without it,
    than expected."""
    asker, text = job.context.asker, name_text(zone)
    refusals = []
    for host, addresses in (await job.context.addresses(hosts)).items():
        place = job.runbook.premises.place_of(host)
        expected = tuple(sorted(ns)) if ns else targets(job.ns_at(place, zone)) if place else ()
        who = f"of {place} " if place else ""
        remedy = (
            f"publish the zone there again: `legatum move advance {name_text(job.domain)} --again "
            f"{_making(job, place) or 'STEP'}`"
        )
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


async def bogus_names(job: StepContext, hosts: Sequence[Name]) -> list[Refusal]:
    """Name servers whose own names are bogus: whoever validates finds no address for them."""
    walker = job.context.walker()
    zones = {(await walker.parent_of(host)).zone for host in hosts if not is_under(host, job.domain)}
    links = await asyncio.gather(*(link_of(job.context, zone) for zone in sorted(zones) if zone != ROOT))
    remedy = "have that mended, or lead to other servers: `legatum ds show {}`"
    return [
        Refusal(
            f"the names of its servers lie in {name_text(each.zone)}, which is bogus: {why}",
            remedy.format(name_text(each.zone)),
        )
        for each in links
        for why, _ in list(each.broken())[:1]
    ]


def _answers_from_above(job: StepContext, place: str, zone: Name) -> bool:
    """The place has the zone above, and answers for this part of it itself."""
    return (place, zone) not in job.timeline.served and any(
        where == place and is_under(zone, each) for where, each in job.timeline.served
    )


def _making(job: StepContext, place: str | None) -> str:
    """The step by which the zone came there."""
    return next(
        (
            step.id
            for step in job.runbook.steps
            for effect in step.effects
            if step.changes and getattr(effect, "place", "") == place
        ),
        "",
    )


async def users_unserved(job: StepContext, host: Name, addresses: Sequence[str]) -> list[Refusal]:
    """Other domains that use the name server, and are not answered for at these addresses of it."""
    lacking = await not_served(job.context, job.runbook.premises.users.get(host, ()), addresses)
    remedy = (
        "have the zone served there too, then the same command again; who no longer uses the name server: "
        "draft again, with --force"
    )
    return [Refusal(each, remedy) for each in lacking[:5]]


async def locked(job: StepContext, registrar: str) -> list[Refusal]:
    """While the registry lets nobody change the name servers."""
    held = await job.cache.registration(registrar, job.domain)
    stops = [status for status in held.statuses if forbids_updates(status)]
    remedy = (
        f"unlock it first: `legatum registration unlock {name_text(job.domain)} --registrar {registrar}`; "
        "only the registry can lift "
        "a lock of its own"
    )
    return [Refusal(f"the registration's status forbids another NS set: {', '.join(stops)}", remedy)] if stops else []


async def differing(job: StepContext, zone: Name, left: str, right: str) -> list[Refusal]:
    """Where visitors would be worse off at the right one."""
    one, other = await asyncio.gather(job.zone(left, zone), job.zone(right, zone))
    found = worse_at(job, left, one, right, other)
    return [differing_refusal(job, left, right, found)] if found else []
