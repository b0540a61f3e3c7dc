"""Measuring again, before each step, what the plan rests on: an edited zone, another TTL, another NS set since drafting."""

import asyncio
from dataclasses import replace

from legatum.core.difference import Difference, zone_differences
from legatum.core.fault import GateShut, OutsideFault
from legatum.core.moves.provider import (
    APEX,
    CONFIRM,
    END,
    GATHER,
    LOWER,
    PARENTS,
    PUBLISH,
    RAISE,
    SWITCH,
    Observed,
    Side,
    Wish,
    draft,
)
from legatum.core.moves.signing import obstacles
from legatum.core.name import name_text, parse_domain, parse_name
from legatum.core.rrset import RRset, targets
from legatum.core.rrtype import NS
from legatum.core.runbook import PROVIDER, Runbook
from legatum.core.timing import Caution
from legatum.core.verdict import names_said
from legatum.net.walk import referral
from legatum.work.contents import read_master_file
from legatum.work.look.registration import registration_view
from legatum.work.outside import Outside
from legatum.work.signing import look_at_signing
from legatum.work.steps import Job, Refusal
from legatum.work.steps.sides import side_refusals


async def moved_on(job: Job) -> list[Refusal]:
    """What is no longer as the plan has it; empty when the step may go ahead. Steps before *gather* rest on nothing yet but on the domain
    being unsigned, and so does the way back."""
    looks = [_signing(job)]
    if job.runbook.kind == PROVIDER and GATHER in job.outcomes:
        looks += [_delegation(job), _registered(job), _apex(job), _contents(job)]
    found = await asyncio.gather(*looks)
    return [refusal for each in found for refusal in each]


async def _signing(job: Job) -> list[Refusal]:
    """Neither a DS nor keys where there were none: whoever publishes them in the middle of a move stops it."""
    seen = await look_at_signing(job.outside, job.domain, job.old.servers, job.new.servers)
    return [Refusal(each.reason, each.remedy) for each in obstacles(job.domain, seen, job.old.name, job.new.name)]


async def _delegation(job: Job) -> list[Refusal]:
    """The parent's NS set and its TTL, at every address of every parent server."""
    domain, planned = name_text(job.domain), int(job.runbook.premises["parent_ttl"])
    switching = SWITCH in job.outcomes or job.step.id == SWITCH
    allowed = (job.new_ns,) if PARENTS in job.outcomes else (job.old_ns, job.new_ns) if switching else (job.old_ns,)
    refusals = []
    for ns in await _handed_out(job.outside, job):
        if ns is None:
            continue
        if PARENTS in job.outcomes and targets(ns) == job.old_ns:
            refusals.append(_put_back(job, f"the parent hands out {names_said(job.old_ns)} for {domain} again"))
        elif targets(ns) not in allowed:
            reason = f"the parent now delegates {domain} to {names_said(targets(ns))}; the plan rests on {names_said(allowed[0])}"
            refusals.append(
                Refusal(
                    reason,
                    f"find out who changed it; then draft again: "
                    f"`legatum move draft {domain} --from PROVIDER --to PROVIDER --registrar NAME --force`",
                )
            )
        elif targets(ns) == job.old_ns and ns.ttl != planned:
            reason = f"the TTL of the delegation is now {ns.ttl}; the plan rests on {planned}"
            refusals.append(Refusal(reason, f"have the plan drawn anew from what is so now: `legatum move redraw {domain}`"))
    return list(dict.fromkeys(refusals))


async def _registered(job: Job) -> list[Refusal]:
    """Before the old side ends: what the registry will go on handing out."""
    if job.step.id != END:
        return []
    held = tuple(sorted((await registration_view(job.outside, job.registrar.name, job.domain)).nameservers))
    return [] if held == job.new_ns else [_put_back(job, f"{job.registrar.name} now has {names_said(held)} for {name_text(job.domain)}")]


def _put_back(job: Job, reason: str) -> Refusal:
    """The switch is undone by somebody: caches have the old NS set again, so what was waited for has to be waited for anew."""
    domain = name_text(job.domain)
    remedy = (
        f"find out who changed it. To go on, set it to {names_said(job.new_ns)} at {job.registrar.name} again, then the same command: "
        f"it waits for the copies anew. To go back: `legatum move retreat {domain}`"
    )
    return Refusal(reason, remedy, (PARENTS, CONFIRM, RAISE))


async def _handed_out(outside: Outside, job: Job) -> list[RRset | None]:
    cut = await outside.walker().parent_of(job.domain)
    replies = await asyncio.gather(*(outside.asker.ask(address, job.domain, NS) for address in cut.addresses))
    return [referral(cut.zone, reply) or reply.find(NS) for reply in replies]


async def _apex(job: Job) -> list[Refusal]:
    """The old side's own NS set and its TTL, as the steps done so far have left them."""
    domain = name_text(job.domain)
    present = (await job.old.fetch(job.domain)).apex_ns
    lowered, exchanged = LOWER in job.outcomes, APEX in job.outcomes
    low, planned = int(job.runbook.step(PUBLISH).details["apex_ttl"]), int(job.runbook.premises["apex_ns_ttl"])
    # Before the step that lowers it is (again) done, it may be lowered from an earlier time.
    ttls = (low,) if lowered or exchanged else (planned, low)
    names = job.new_ns if exchanged else job.old_ns
    if present is None or targets(present) != names:
        reason = f"the NS set at {job.old.name} is now {names_said(targets(present))}; the plan rests on {names_said(names)}"
        return [
            Refusal(
                reason,
                f"find out who changed it; then draft again: "
                f"`legatum move draft {domain} --from PROVIDER --to PROVIDER --registrar NAME --force`",
            )
        ]
    if present.ttl not in ttls:
        reason = f"the TTL of the NS set at {job.old.name} is now {present.ttl}; the plan rests on {ttls[0]}"
        return [Refusal(reason, f"have the plan drawn anew from what is so now: `legatum move redraw {domain}`")]
    return []


async def _contents(job: Job) -> list[Refusal]:
    """Until the zone is published: still the one gathered. From then on: both sides hold the same."""
    if PUBLISH not in job.outcomes:
        gathered, present = read_master_file(job.zone_file, job.domain).zone, await job.old.fetch(job.domain)
        left = [each for each in zone_differences(gathered, present) if not each.expected]
        return _edited(job, left, "the gathered zone", job.old.name)
    try:
        new = await job.new.fetch(job.domain)
    except OutsideFault as fault:
        return await side_refusals(job) or [Refusal(f"{job.new.name} no longer lets the zone be read: {fault.message}", fault.remedy)]
    left = [each for each in zone_differences(await job.old.fetch(job.domain), new) if each.weight.refuses]
    return _edited(job, left, job.old.name, job.new.name)


def _edited(job: Job, left: list[Difference], one: str, other: str) -> list[Refusal]:
    if not left:
        return []
    domain = name_text(job.domain)
    listed = ", ".join(f"{name_text(each.name)} ({each.kind})" for each in left[:4])
    committed = APEX in job.outcomes or SWITCH in job.outcomes
    remedy = (
        f"make the same edit on both sides, then the same command again; see all: `legatum compare {one} {other} --domain {domain}`"
        if committed
        else f"somebody edited one side: `legatum move advance {domain} --again gather`"
    )
    return [Refusal(f"{len(left)} RRsets differ between {one} (left) and {other} (right): {listed}", remedy)]


async def redraw(outside: Outside, job: Job) -> Runbook:
    """The same move drawn anew: what was done stays done, the TTLs are the larger of what was observed then and now.

    Raises :class:`GateShut` where nothing that a plan could rest on can be seen.
    """
    premises, runbook = job.runbook.premises, job.runbook
    seen = [ns for ns in await _handed_out(outside, job) if ns is not None]
    zone = await job.old.fetch(job.domain)
    if not seen or zone.apex_ns is None:
        raise GateShut(f"{name_text(job.domain)}: no parent server shows the delegation", "look again when they answer")
    apex_ttl = int(premises["apex_ns_ttl"])
    if LOWER not in job.outcomes and APEX not in job.outcomes:
        apex_ttl = max(apex_ttl, zone.apex_ns.ttl)
    hosts = tuple((name, int(premises["host_negative_ttl"])) for name in job.new_ns)
    observed = Observed(
        domain=job.domain,
        at=outside.clock.now(),
        parent_zone=parse_name(str(premises["parent_zone"]).rstrip(".") + "."),
        parent_ttl=max(int(premises["parent_ttl"]), *(ns.ttl for ns in seen)),
        apex_ttl=apex_ttl,
        longest_ttl=max(each.ttl for each in zone),
        negative_ttl=int(premises["negative_ttl"]),
        serial=zone.soa.serial,
        refresh=zone.soa.refresh,
        old_ns=job.old_ns,
        host_negative_ttls=hosts,
        addresses=premises.get("addresses", {}),
        glue_ttl=int(premises["glue_ttl"]),
    )
    old, new = job.old, job.new
    signing = await look_at_signing(outside, job.domain, old.servers, new.servers)
    for obstacle in obstacles(job.domain, signing, old.name, new.name):
        raise GateShut(obstacle.reason, obstacle.remedy)
    observed = replace(observed, unsigned=signing.unsigned_text)
    low = int(runbook.step(PUBLISH).details["apex_ttl"])
    wish = Wish(
        runbook.id,
        Side(old.name, job.old_ns, old.changes_apex_ns),
        Side(new.name, tuple(parse_domain(str(name)) for name in premises["new_ns"]), new.changes_apex_ns),
        str(premises["registrar"]),
        low,
        int(runbook.step(RAISE).details["ttl"]),
        runbook.step("parents").estimate,
        Caution(int(premises["floor"]), int(premises["time_out"]), runbook.margin),
    )
    return replace(draft(observed, wish), drafted=runbook.drafted)
