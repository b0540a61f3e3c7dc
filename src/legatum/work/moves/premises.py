"""Measuring again, before each step, what the plan rests on: an edited zone, another TTL, another NS set than the steps done have left.

Nothing here knows a kind of move: what every place should say now follows from the premises and the effects that were done.
"""

import asyncio
from collections.abc import Iterator, Mapping
from dataclasses import replace

from legatum.core.fault import GateShut, OutsideFault
from legatum.core.moves.effects import Delegated, Effect, Gathered, Joined, Published, Records, Released
from legatum.core.moves.place import PARENT, Key
from legatum.core.moves.redraw import redrawn
from legatum.core.moves.runbook import Runbook, Step
from legatum.core.moves.scene import Content
from legatum.core.observation.verdict import names_said
from legatum.core.records.name import Name, name_text
from legatum.core.records.presentation import rdata_texts
from legatum.core.records.rrset import RRset, targets
from legatum.core.records.rrtype import NS, SOA, type_text
from legatum.core.records.soa import parse_soa
from legatum.core.zones.difference import Difference, zone_differences
from legatum.core.zones.zone import Zone
from legatum.work.drafting.signing import signing_obstacles
from legatum.work.gathering.contents import read_master_file
from legatum.work.look.registration import registration_view
from legatum.work.moves.edits import edits_told
from legatum.work.moves.job import Job, Refusal
from legatum.work.moves.readiness import edit_remedy


async def moved_on(job: Job) -> list[Refusal]:
    """What is no longer as the plan has it; empty when the step may go ahead."""
    looks = [_signing(job), _delegation(job), _registered(job), *(_contents(job, place, zone) for place, zone in _served(job))]
    looks += [_alike(job, zone) for zone in dict.fromkeys(zone for _, zone in _served(job))]
    found = await asyncio.gather(*looks)
    return [refusal for each in found for refusal in each]


async def _signing(job: Job) -> list[Refusal]:
    """Neither a DS nor keys where there were none: whoever publishes them in the middle of a move stops it."""
    return [Refusal(each.reason, each.remedy) for each in await signing_obstacles(job.outside, job.runbook)]


def _served(job: Job) -> list[tuple[str, Name]]:
    """What can be read whole, and should be there now: not copies, and not what the plan does not change."""
    providers = job.outside.settings.providers
    copies = {place for step in job.runbook.steps for each in step.effects for place in _copying(each)}
    return [
        (place, zone)
        for (place, zone), track in job.scene.served.items()
        if place != PARENT and place in providers and place not in copies and track.value == Content.WHOLE
    ]


def _copying(effect: Effect) -> tuple[str, ...]:
    """Places that take a copy from another one."""
    if isinstance(effect, Records):
        return effect.follows
    return (effect.place,) if isinstance(effect, Joined | Released) else ()


async def _delegation(job: Job) -> list[Refusal]:
    """The parent's NS set and its TTL, at every address of every parent server."""
    zone, key = job.runbook.premises.parent_zone, (job.domain, NS)
    expected, domain = job.scene.says(PARENT, zone, *key), name_text(job.domain)
    under_way = list(_versions_under_way(job))
    handed = await job.glance.delegation(job.domain)
    refusals = []
    if handed.silent and (job.step.takes_away or not handed.given):
        reason = f"{', '.join(handed.silent)} of the parent's servers does not answer: whom it leads where is not known"
        refusals.append(Refusal(reason, "look again when it does", unseen=_leading_done(job)))
    for present in dict.fromkeys(handed.given.values()):
        names = targets(present)
        if expected is not None and present is not None and names == targets(expected) and present.ttl > expected.ttl:
            reason = f"the TTL of the delegation is now {present.ttl}; the plan rests on {expected.ttl}"
            refusals.append(Refusal(reason, f"have the plan drawn anew from what is so now: `legatum move redraw {domain}`"))
        elif names != targets(expected) and names not in under_way:
            refusals.append(_led_otherwise(job, names, expected))
    return list(dict.fromkeys(refusals))


def _leading_done(job: Job) -> tuple[str, ...]:
    """Steps that were done about the delegation."""
    return tuple(step.id for step in job.runbook.steps if step.id in job.outcomes and any(
        isinstance(each, Delegated | Published) for each in step.effects))  # fmt: skip


def _versions_under_way(job: Job) -> Iterator[tuple[Name, ...]]:
    """NS sets that may be seen beside the one expected: while a change of it has not been seen everywhere, both."""
    for past in job.runbook.past:
        if past.everywhere is None:
            for effect in past.effects:
                if isinstance(effect, Delegated):
                    yield effect.before
                    yield effect.after
    for number, step in enumerate(job.runbook.steps):
        if step.id not in job.outcomes and step is not job.step:
            continue
        later = [each for each in job.runbook.steps[number:] if each.id in job.outcomes]
        seen = [look for each in later for look in each.effects if isinstance(look, Published)]
        for effect in step.effects:
            if isinstance(effect, Delegated) and not any(look.concerns(effect) for look in seen):
                yield effect.before
                yield effect.after


def _led_otherwise(job: Job, names: tuple[Name, ...], expected: RRset | None) -> Refusal:
    domain = name_text(job.domain)
    said = names_said(names) if names else "nobody"
    step = next((each for each in reversed(job.runbook.steps) if each.id in job.outcomes and any(
        isinstance(effect, Delegated) and effect.before == names for effect in each.effects)), None)  # fmt: skip
    if step is not None:
        return _put_back(job, step, f"the parent hands out {said} for {domain} again")
    reason = f"the parent now delegates {domain} to {said}; the plan rests on {names_said(targets(expected))}"
    return Refusal(reason, f"find out who changed it; then draft again, with --force: `legatum move show {domain}` has the wish")


def _put_back(job: Job, step: Step, reason: str) -> Refusal:
    """The step is undone by somebody: caches have what was before again, so what was waited for has to be waited for anew."""
    domain = name_text(job.domain)
    order = [each.id for each in job.runbook.steps]
    undone = tuple(each for each in order[order.index(step.id) :] if each in job.outcomes)
    remedy = (
        f"find out who changed it. To go on, the same command again: it does the step '{step.id}' anew, and waits for the copies anew. "
        f"To go back: `legatum move retreat {domain}`"
    )
    return Refusal(reason, remedy, undone)


async def _registered(job: Job) -> list[Refusal]:
    """Before something is taken away: what the registry will go on handing out."""
    registrar, expected = job.runbook.premises.registrar, job.scene.says(PARENT, job.runbook.premises.parent_zone, job.domain, NS)
    if (
        not job.step.takes_away
        or not registrar
        or not any(isinstance(each, Delegated) for step in job.runbook.steps for each in step.effects)
    ):
        return []
    held = tuple(sorted((await registration_view(job.outside, registrar, job.domain)).nameservers))
    if held == targets(expected):
        return []
    reason = f"{registrar} now has {names_said(held)} for {name_text(job.domain)}"
    step = next(
        (
            each
            for each in reversed(job.runbook.steps)
            if each.id in job.outcomes and any(isinstance(one, Delegated) for one in each.effects)
        ),
        None,
    )
    return [_put_back(job, step, reason) if step is not None else Refusal(reason, "find out who changed it; then draft again")]


async def _contents(job: Job, place: str, zone: Name) -> list[Refusal]:
    """Every RRset that the plan rests on, as the steps done so far have left it."""
    try:
        present = await job.zone(place, zone)
    except OutsideFault as fault:
        done = tuple(each.id for each in job.runbook.steps if each.id in job.outcomes and _of(each, place, zone))
        return [Refusal(f"{place} no longer lets the zone be read: {fault.message}", fault.remedy, unseen=done)]
    coming = {(each.key): each.after for effect in _of(job.step, place, zone) for each in effect.changed}
    refusals = []
    for key in job.scene.keys(zone):
        expected, seen = job.scene.says(place, zone, *key), present.get(*key)
        if _is_later_ttl(job, place, zone, seen, expected):
            continue
        if _alike_sets(seen, expected) or (key in coming and _alike_sets(seen, coming[key])) or _is_written_there(job, place, zone, key):
            continue
        refusals.append(_changed(job, place, zone, key, seen, expected))
    return refusals


def _is_later_ttl(job: Job, place: str, zone: Name, seen: RRset | None, expected: RRset | None) -> bool:
    """A TTL that a step of the plan gives, which was done once and counts no longer: it is seen when its turn comes again."""
    if seen is None or expected is None or seen.rdatas != expected.rdatas:
        return False
    return any(each.after == seen for step in job.runbook.steps for effect in _of(step, place, zone) for each in effect.changed)


def _of(step: Step, place: str, zone: Name) -> list[Records]:
    return [each for each in step.effects if isinstance(each, Records) and (each.place, each.zone) == (place, zone)]


def _is_written_there(job: Job, place: str, zone: Name, key: Key) -> bool:
    """An NS set that its provider writes itself stays what it is."""
    return key == (zone, NS) and not job.provider(place).changes_apex_ns


def _changed(job: Job, place: str, zone: Name, key: Key, seen: RRset | None, expected: RRset | None) -> Refusal:
    domain, what = name_text(job.domain), "the NS set" if key == (zone, NS) else f"{name_text(key[0])} {type_text(key[1])}"
    step = next((each for each in reversed(job.runbook.steps) if each.id in job.outcomes and any(
        one.key == key and _alike_sets(one.before, seen) for effect in _of(each, place, zone) for one in effect.changed)),
        None)  # fmt: skip
    if step is not None:
        return _put_back(job, step, f"{what} at {place} is {_said(seen)} again")
    if seen is not None and expected is not None and seen.rdatas == expected.rdatas:
        reason = f"the TTL of {what} at {place} is now {seen.ttl}; the plan rests on {expected.ttl}"
        return Refusal(reason, f"have the plan drawn anew from what is so now: `legatum move redraw {domain}`")
    reason = f"{what} at {place} is now {_said(seen)}; the plan rests on {_said(expected)}"
    return Refusal(reason, f"find out who changed it; then have the plan drawn anew: `legatum move redraw {domain}`")


def _said(rrset: RRset | None) -> str:
    if rrset is None:
        return "nothing"
    return names_said(targets(rrset)) if rrset.rtype == NS else ", ".join(rdata_texts(rrset))


def _alike_sets(one: RRset | None, other: RRset | None) -> bool:
    """Of an SOA record everything but the serial, which goes on with every edit."""
    if one is None or other is None or one.rtype != SOA:
        return one == other
    fields = [parse_soa(each.rdatas[0])._replace(serial=0, primary=Name(b"")) for each in (one, other)]
    return one.ttl == other.ttl and fields[0] == fields[1]


async def _alike(job: Job, zone: Name) -> list[Refusal]:
    """All places that serve a zone hold the same, but for what the plan makes different; until it is copied, what was gathered."""
    places = [place for place, each in _served(job) if each == zone]
    file = job.file_of(zone)
    gathered = any(step.id in job.outcomes for step in job.runbook.steps if any(
        isinstance(each, Gathered) and each.zone == zone for each in step.effects))  # fmt: skip
    try:
        if len(places) == 1 and gathered and file.exists() and not job.step.takes_away and not _copied(job, zone):
            contents: Mapping[str, Zone] = {
                "the gathered zone": read_master_file(file, zone).zone,
                places[0]: await job.zone(places[0], zone),
            }
        elif len(places) > 1:
            contents = {place: await job.zone(place, zone) for place in places}
        else:
            return []
    except OutsideFault:
        return []  # told above
    (one, first), *others = contents.items()
    meant = set(job.scene.keys(zone))
    refusals = edits_told(job, zone, contents, meant) if len(places) > 1 else []
    meant |= {each.key for refusal in refusals for effect in refusal.mended if isinstance(effect, Records) for each in effect.changed}
    for other, second in others:
        left = [
            each
            for each in zone_differences(first, second)
            if not each.expected and each.weight.refuses and (each.name, each.rtype) not in meant
        ]
        if left:
            refusals.append(_edited(job, one, other, left))
    return refusals


def _copied(job: Job, zone: Name) -> bool:
    """The zone was made somewhere by this plan, and may have ended where it was gathered."""
    return any(effect_zone(each) == zone for step in job.runbook.steps if step.id in job.outcomes for each in step.effects if step.changes)


def effect_zone(effect: Effect) -> Name | None:
    return getattr(effect, "zone", None)


def _edited(job: Job, one: str, other: str, left: list[Difference]) -> Refusal:
    listed = ", ".join(f"{name_text(each.name)} ({each.kind})" for each in left[:4])
    return Refusal(f"{len(left)} RRsets differ between {one} (left) and {other} (right): {listed}", edit_remedy(job, one, other))


async def redraw(job: Job) -> Runbook:
    """The same move drawn anew: what was done stays done, waits follow the TTLs that are so now.

    Raises :class:`GateShut` where more than TTLs has changed, or nothing that a plan could rest on can be seen.
    """
    for obstacle in await signing_obstacles(job.outside, job.runbook):
        raise GateShut(obstacle.reason, obstacle.remedy)
    expected: dict[tuple[str, Name, Key], RRset] = {}
    seen: dict[tuple[str, Name, Key], RRset] = {}
    sets = [each for each in (await job.glance.delegation(job.domain)).given.values() if each is not None]
    planned = job.scene.says(PARENT, job.runbook.premises.parent_zone, job.domain, NS)
    if planned is not None and not sets:
        raise GateShut(f"{name_text(job.domain)}: no parent server shows the delegation", "look again when they answer")
    where = (PARENT, job.runbook.premises.parent_zone, (job.domain, NS))
    if planned is not None:
        expected[where], seen[where] = planned, planned.with_ttl(max(each.ttl for each in sets))
    for place, zone in _served(job):
        present = await job.zone(place, zone)
        for key in job.scene.keys(zone):
            planned, there = job.scene.says(place, zone, *key), present.get(*key)
            if planned is not None and there is not None and planned.rdatas == there.rdatas:
                expected[place, zone, key], seen[place, zone, key] = planned, there
    drawn = redrawn(job.runbook, expected, seen, job.outside.clock.now(), job.outcomes)
    looked = drawn.premises.unsigned or "looked at when the plan was drawn anew: neither DS nor keys"
    return replace(drawn, premises=replace(drawn.premises, unsigned=looked))
