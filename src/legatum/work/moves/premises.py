"""Measuring again, before each step, what the plan rests on: an edited zone, another TTL, another NS set than the steps
done have left."""

import asyncio
from collections.abc import Sequence
from dataclasses import replace

from legatum.core.moves.drift.drift import (
    contents_drift,
    delegation_drift,
    only_gathered,
    readable,
    registered_drift,
    unreadable,
)
from legatum.core.moves.drift.position import Refusal
from legatum.core.moves.drift.redraw import redrawn
from legatum.core.moves.drift.sides import edits_told, sides_differ
from legatum.core.moves.effects import Delegated, Effect, Records
from legatum.core.moves.place import PARENT, RRsetKey
from legatum.core.moves.runbook import Runbook
from legatum.core.records.name import Name, name_text
from legatum.core.records.rrset import RRset
from legatum.core.records.rrtype import NS
from legatum.core.running.fault import GateShut, OutsideFault
from legatum.core.zones.masterlines import master_text
from legatum.core.zones.zone import Zone
from legatum.net.file import write_whole
from legatum.work.drafting.signing import signing_obstacles
from legatum.work.gathering.contents import read_master_file
from legatum.work.look.registration import registration_view
from legatum.work.memory import note_handed_out, note_seen_at
from legatum.work.moves.step_context import StepContext


async def moved_on(job: StepContext) -> list[Refusal]:
    """What is no longer as the plan has it; empty when the step may go ahead."""
    places = readable(job, job.context.providers)
    looks = [
        _signing(job),
        _delegation(job),
        _registered(job),
        *(_contents(job, place, zone) for place, zone in places),
    ]
    looks += [
        _alike(job, zone, [place for place, each in places if each == zone])
        for zone in dict.fromkeys(zone for _, zone in places)
    ]
    found = await asyncio.gather(*looks)
    return [refusal for each in found for refusal in each]


async def _signing(job: StepContext) -> list[Refusal]:
    """Whoever publishes a DS or keys, or takes them away, in the middle of a move stops it."""
    return [Refusal(each.reason, each.remedy, silent=each.silent) for each in await signing_obstacles(job.context, job)]


async def _delegation(job: StepContext) -> list[Refusal]:
    handed = await job.cache.delegation(job.domain)
    if any(handed.given.values()) or not handed.silent:
        note_handed_out(job.context, job.domain, handed.given.values())
    return delegation_drift(job, handed)


async def _registered(job: StepContext) -> list[Refusal]:
    """Before something is taken away: what the registry will go on handing out."""
    registrar = job.runbook.premises.registrar
    changes = any(isinstance(each, Delegated) for step in job.runbook.steps for each in step.effects)
    if not job.step.takes_away or not registrar or not changes:
        return []
    view = await registration_view(job.context, registrar, job.domain)
    return registered_drift(job, registrar, tuple(sorted(view.nameservers))) if view is not None else []


async def _contents(job: StepContext, place: str, zone: Name) -> list[Refusal]:
    try:
        present = await job.zone(place, zone)
    except OutsideFault as fault:
        return [unreadable(job, place, zone, fault.message, fault.remedy)]
    note_seen_at(job.context, place, present, job.timeline.keys(zone))
    return contents_drift(job, place, present, not job.provider(place).changes_apex_ns)


async def _alike(job: StepContext, zone: Name, places: Sequence[str]) -> list[Refusal]:
    """All places that serve a zone hold the same, but for what the plan makes different; until it is copied, what was
    gathered."""
    file, meant = job.file_of(zone), set(job.timeline.keys(zone))
    try:
        contents = {place: await job.zone(place, zone) for place in places}
    except OutsideFault:
        return []  # told as what the place no longer lets be read
    if len(places) > 1:
        edits = _edits(job, zone, contents, meant)
        return [*edits, *sides_differ(job, contents, edits, meant)]
    if not only_gathered(job, zone) or not file.exists():
        return []
    return sides_differ(job, {"the gathered zone": read_master_file(file, zone).zone, **contents}, (), meant)


def _edits(job: StepContext, zone: Name, now: dict[str, Zone], meant: set[RRsetKey]) -> list[Refusal]:
    """Those that somebody made at one side while the zone is served in two places: found by what each was when it was
    made."""
    kept = {place: file for place in now if (file := job.kept_file(place, zone)) is not None}
    if len(kept) < len(now):
        return []
    return edits_told(job, {place: read_master_file(file, zone).zone for place, file in kept.items()}, now, meant)


async def keep_as_it_is(job: StepContext, effects: Sequence[Effect]) -> None:
    """After an edit was made everywhere: what the zones are now is what later edits are known by."""
    for zone in dict.fromkeys(each.zone for each in effects if isinstance(each, Records)):
        for place in job.timeline.serving(zone):
            if (file := job.kept_file(place, zone)) is not None:
                comment = f"{name_text(zone)} at {place}, after an edit that was made everywhere"
                write_whole(file, master_text(await job.zone(place, zone), [comment]))


async def redraw(job: StepContext) -> Runbook:
    """The same move drawn anew: what was done stays done, waits follow the TTLs that are so now.

    Raises :class:`GateShut` where more than TTLs has changed, or nothing that a plan could rest on can be seen.
    """
    for obstacle in await signing_obstacles(job.context, job):
        raise GateShut(obstacle.reason, obstacle.remedy)
    expected: dict[tuple[str, Name, RRsetKey], RRset] = {}
    seen: dict[tuple[str, Name, RRsetKey], RRset] = {}
    sets = [each for each in (await job.cache.delegation(job.domain)).given.values() if each is not None]
    planned = job.timeline.rrset(PARENT, job.runbook.premises.parent_zone, job.domain, NS)
    if planned is not None and not sets:
        raise GateShut(f"{name_text(job.domain)}: no parent server shows the delegation", "look again when they answer")
    where = (PARENT, job.runbook.premises.parent_zone, (job.domain, NS))
    if planned is not None:
        expected[where], seen[where] = planned, planned.with_ttl(max(each.ttl for each in sets))
    for place, zone in readable(job, job.context.providers):
        present = await job.zone(place, zone)
        for key in job.timeline.keys(zone):
            planned, there = job.timeline.rrset(place, zone, *key), present.get(*key)
            if planned is not None and there is not None and planned.rdatas == there.rdatas:
                expected[place, zone, key], seen[place, zone, key] = planned, there
    drawn = redrawn(job.runbook, expected, seen, job.context.clock.now(), job.outcomes)
    if drawn.premises.unsigned or drawn.premises.signing:
        return drawn
    return replace(
        drawn, premises=replace(drawn.premises, unsigned="looked at when the plan was drawn anew: neither DS nor keys")
    )
