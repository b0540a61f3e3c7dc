"""What is no longer as the plan has it: what was seen at each place, held against what the steps done should have left
there.

Nothing here knows a kind of move: what every place should say now follows from the premises and the effects that were
done.
"""

from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass

from legatum.core.agreement.verdict import names_said
from legatum.core.dnssec.serving import ServerKeys, signs_so
from legatum.core.dnssec.trust import DsSet, Keys
from legatum.core.moves.drift.position import Position, Refusal
from legatum.core.moves.effects import (
    Delegated,
    DsChanged,
    DsPublished,
    Effect,
    Gathered,
    Joined,
    Published,
    Records,
    Released,
    Signed,
)
from legatum.core.moves.kinds.trust.signature_expiry import Obstacle, Signing, first_to_run_out, running_out
from legatum.core.moves.place import PARENT, RRsetKey
from legatum.core.moves.runbook import Step
from legatum.core.moves.timeline import Content
from legatum.core.records.name import Name, name_text
from legatum.core.records.presentation import rdata_texts
from legatum.core.records.rrset import RRset, targets
from legatum.core.records.rrtype import NS, type_text
from legatum.core.records.soa import alike
from legatum.core.zones.zone import Zone


@dataclass(frozen=True)
class HandedOn:
    """``given``: address of the parent's servers → the NS set that it hands out, None for nobody; ``silent``: those
    that do not answer."""

    given: Mapping[str, RRset | None]
    silent: tuple[str, ...]


def readable(position: Position, providers: Collection[str]) -> list[tuple[str, Name]]:
    """What can be read whole, and should be there now: not copies, and not what the plan does not change."""
    copies = {place for step in position.runbook.steps for each in step.effects for place in _copying(each)}
    return [
        (place, zone)
        for (place, zone), track in position.timeline.served.items()
        if place != PARENT and place in providers and place not in copies and track.value == Content.WHOLE
    ]


def _copying(effect: Effect) -> tuple[str, ...]:
    """Places that take a copy from another one."""
    if isinstance(effect, Records):
        return effect.follows
    return (effect.place,) if isinstance(effect, Joined | Released) else ()


def delegation_drift(position: Position, handed: HandedOn) -> list[Refusal]:
    """The parent's NS set and its TTL, at every address of every parent server."""
    expected = position.timeline.rrset(PARENT, position.runbook.premises.parent_zone, position.domain, NS)
    under_way = list(_versions_under_way(position))
    refusals = []
    if handed.silent and (position.step.takes_away or not handed.given):
        reason = f"{', '.join(handed.silent)} of the parent's servers does not answer: whom it leads where is not known"
        refusals.append(Refusal(reason, "look again when it does", unseen=_leading_done(position), silent=True))
    for present in dict.fromkeys(handed.given.values()):
        names = targets(present)
        if expected is not None and present is not None and names == targets(expected) and present.ttl > expected.ttl:
            reason = f"the TTL of the delegation is now {present.ttl}; the plan rests on {expected.ttl}"
            refusals.append(Refusal(reason, f"have the plan drawn anew from what is so now: {_redrawing(position)}"))
        elif names != targets(expected) and names not in under_way:
            if not (others := _as_planned(handed, (targets(expected), *under_way))):
                refusals.append(_led_otherwise(position, names, expected))
            elif not any(
                isinstance(each, Published) for each in position.step.effects
            ):  # which waits for all, and says who is late
                refusals.append(_lagging(position, handed, names, others))
    return list(dict.fromkeys(refusals))


def registered_drift(position: Position, registrar: str, held: tuple[Name, ...]) -> list[Refusal]:
    """What the registry will go on handing out. ``held``: the registrar's NS set, sorted."""
    if held == targets(position.timeline.rrset(PARENT, position.runbook.premises.parent_zone, position.domain, NS)):
        return []
    reason = f"{registrar} now has {names_said(held)} for {name_text(position.domain)}"
    step = next(
        (each for each in reversed(position.done) if any(isinstance(one, Delegated) for one in each.effects)), None
    )
    return [
        _put_back(position, step, reason)
        if step is not None
        else Refusal(reason, "find out who changed it; then draft again")
    ]


def contents_drift(position: Position, place: str, present: Zone, own_ns: bool) -> list[Refusal]:
    """Every RRset that the plan rests on, as the steps done so far have left it. ``own_ns``: the place writes its NS
    set itself, and that stays what it is."""
    zone, timeline = present.origin, position.timeline
    coming = {each.key: each.after for effect in _of(position.step, place, zone) for each in effect.changed}
    refusals = []
    for key in timeline.keys(zone):
        expected, seen = timeline.rrset(place, zone, *key), present.get(*key)
        if _is_later_ttl(position, place, zone, seen, expected) or (own_ns and key == (zone, NS)):
            continue
        if not (alike(seen, expected, primary=False) or (key in coming and alike(seen, coming[key], primary=False))):
            refusals.append(_changed(position, place, zone, key, seen, expected))
    return refusals


def unreadable(position: Position, place: str, zone: Name, why: str, remedy: str) -> Refusal:
    """The place no longer lets the zone be read: whether what was done there is still so is not known."""
    done = tuple(each.id for each in position.done if _of(each, place, zone))
    return Refusal(f"{place} no longer lets the zone be read: {why}", remedy, unseen=done, silent=True)


def only_gathered(position: Position, zone: Name) -> bool:
    """It was gathered, and is not copied anywhere yet: what was gathered is what the one place that serves it must
    still have."""
    effects = [each for step in position.done for each in step.effects if step.changes]
    gathered = any(isinstance(each, Gathered) and each.zone == zone for step in position.done for each in step.effects)
    return (
        gathered and not position.step.takes_away and not any(getattr(each, "zone", None) == zone for each in effects)
    )


def _leading_done(position: Position) -> tuple[str, ...]:
    """Steps that were done about the delegation."""
    return tuple(
        step.id for step in position.done if any(isinstance(each, Delegated | Published) for each in step.effects)
    )


def _versions_under_way(position: Position) -> Iterator[tuple[Name, ...]]:
    """NS sets that may be seen beside the one expected: while a change of it has not been seen everywhere, both."""
    runbook, outcomes = position.runbook, position.outcomes
    for past in runbook.past:
        if past.everywhere is None:
            for effect in past.effects:
                if isinstance(effect, Delegated):
                    yield from (effect.before, effect.after)
    for number, step in enumerate(runbook.steps):
        if step.id not in outcomes and step is not position.step:
            continue
        seen = [
            look
            for each in runbook.steps[number:]
            if each.id in outcomes
            for look in each.effects
            if isinstance(look, Published)
        ]
        for effect in step.effects:
            if isinstance(effect, Delegated) and not any(look.concerns(effect) for look in seen):
                yield from (effect.before, effect.after)


def _led_otherwise(position: Position, names: tuple[Name, ...], expected: RRset | None) -> Refusal:
    domain = name_text(position.domain)
    said = names_said(names) if names else "nobody"
    step = next((each for each in reversed(position.done) if any(
        isinstance(effect, Delegated) and effect.before == names for effect in each.effects)), None)  # fmt: skip
    if step is not None:
        return _put_back(position, step, f"the parent hands out {said} for {domain} again")
    reason = f"the parent now delegates {domain} to {said}; the plan rests on {names_said(targets(expected))}"
    return Refusal(
        reason, f"find out who changed it; then draft again, with --force: `legatum move show {domain}` has the wish"
    )


def _as_planned(handed: HandedOn, planned: Collection[tuple[Name, ...]]) -> list[str]:
    """The parent's addresses that hand out what the plan knows of."""
    return [address for address, ns in handed.given.items() if targets(ns) in planned]


def _lagging(position: Position, handed: HandedOn, names: tuple[Name, ...], others: Sequence[str]) -> Refusal:
    """Some of the parent's servers have another copy: a secondary that lags, or a change that has just begun."""
    late = [address for address, ns in handed.given.items() if targets(ns) == names]
    said, domain = names_said(names) if names else "nobody", name_text(position.domain)
    reason = (
        f"{', '.join(late)} of the parent's servers hands out {said} for {domain}; {', '.join(others)} what "
        "the plan has"
    )
    remedy = (
        "wait until all of them hand out the same, then the same command again; if all have that one then, "
        "find out who changed it"
    )
    return Refusal(reason, remedy, unseen=_leading_done(position))


def _put_back(position: Position, step: Step, reason: str) -> Refusal:
    """The step is undone by somebody: caches have what was before again, so what was waited for has to be waited for
    anew."""
    order = [each.id for each in position.runbook.steps]
    undone = tuple(each for each in order[order.index(step.id) :] if each in position.outcomes)
    remedy = (
        f"find out who changed it. To go on, the same command again: it does the step '{step.id}' anew, and "
        "waits for the copies anew. "
        f"To go back: `legatum move retreat {name_text(position.domain)}`"
    )
    return Refusal(reason, remedy, undone)


def _is_later_ttl(position: Position, place: str, zone: Name, seen: RRset | None, expected: RRset | None) -> bool:
    """A TTL that a step of the plan gives, which was done once and counts no longer: it is seen when its turn comes
    again."""
    if seen is None or expected is None or seen.rdatas != expected.rdatas:
        return False
    return any(
        each.after == seen
        for step in position.runbook.steps
        for effect in _of(step, place, zone)
        for each in effect.changed
    )


def _of(step: Step, place: str, zone: Name) -> list[Records]:
    return [each for each in step.effects if isinstance(each, Records) and (each.place, each.zone) == (place, zone)]


def _changed(
    position: Position, place: str, zone: Name, key: RRsetKey, seen: RRset | None, expected: RRset | None
) -> Refusal:
    what = "the NS set" if key == (zone, NS) else f"{name_text(key[0])} {type_text(key[1])}"
    step = next(
        (
            each
            for each in reversed(position.done)
            if any(
                one.key == key and alike(one.before, seen, primary=False)
                for effect in _of(each, place, zone)
                for one in effect.changed
            )
        ),
        None,
    )
    if step is not None:
        return _put_back(position, step, f"{what} at {place} is {_said(seen)} again")
    if seen is not None and expected is not None and seen.rdatas == expected.rdatas:
        reason = f"the TTL of {what} at {place} is now {seen.ttl}; the plan rests on {expected.ttl}"
        return Refusal(reason, f"have the plan drawn anew from what is so now: {_redrawing(position)}")
    reason = f"{what} at {place} is now {_said(seen)}; the plan rests on {_said(expected)}"
    return Refusal(reason, f"find out who changed it; then have the plan drawn anew: {_redrawing(position)}")


def _redrawing(position: Position) -> str:
    return f"`legatum move redraw {name_text(position.domain)}`"


def _said(rrset: RRset | None) -> str:
    if rrset is None:
        return "nothing"
    return names_said(targets(rrset)) if rrset.rtype == NS else ", ".join(rdata_texts(rrset))


def signing_drift(
    position: Position, seen: Signing, served: Mapping[str, Mapping[str, ServerKeys]], now: float
) -> list[Obstacle]:
    """Whether the parent has the DS set that it should, and each place signs as it should; of the steps that change the
    DS set and look at it they say themselves what is wrong. ``served``: place → its servers by address."""
    text = name_text(position.domain)
    if seen.silent:
        return [
            Obstacle(
                f"whether {text} is signed is not known: {', '.join(seen.silent[:4])} did not answer",
                "look again when they answer",
                True,
            )
        ]
    allowed = _anchors_under_way(position)
    entries = {
        place: {label for each in by.values() if each.keys for label in each.keys.entry} for place, by in served.items()
    }
    found = []
    for address, anchors in (
        seen.ds.items() if not any(isinstance(each, DsChanged | DsPublished) for each in position.step.effects) else ()
    ):
        if not any(_are(each, anchors, entries) for each in allowed):
            reason = (
                f"{address} of the parent's servers hands out {anchors.text} for {text}; the plan rests on "
                f"{allowed[0].text}"
            )
            found.append(
                Obstacle(
                    reason,
                    "find out who changed the DS set at the registrar, and have it put back; then the same "
                    "command again",
                )
            )
    for place, by in served.items() if not position.runbook.disconnects else ():
        found += list(_signs_otherwise(position, place, by))
    if position.timeline.ds_set(position.domain):
        until = first_to_run_out(each for by in served.values() for each in by.values())
        found += running_out(position.runbook, position.outcomes, until, now)
    return list({each.reason.partition(" of the parent")[2] or each.reason: each for each in found}.values())


def _anchors_under_way(position: Position) -> list[DsSet]:
    """The DS set expected, and those that may be seen beside it while a change of it has not been seen everywhere."""
    found = [position.timeline.ds_set(position.domain)]
    for step in position.runbook.steps:
        for effect in step.effects:
            shown = isinstance(effect, DsChanged) and any(
                look.concerns(effect) for each in position.done for look in each.effects
            )
            if isinstance(effect, DsChanged) and not shown and (step.id in position.outcomes or step is position.step):
                found += [effect.before, effect.after]
    for past in position.runbook.past:
        found += [
            each
            for effect in past.effects
            if isinstance(effect, DsChanged) and past.everywhere is None
            for each in (effect.before, effect.after)
        ]
    return found


def _are(meant: DsSet, seen: DsSet, entries: Mapping[str, Collection[str]]) -> bool:
    """Of keys that were not made yet when it was planned: some that the place signs its key set with."""
    if meant.of:
        known = {"/".join(each.split()[:2]) for each in meant.records}
        return known < seen.labels and seen.labels - known <= {
            label for place in meant.of for label in entries.get(place, ())
        }
    return seen.records == meant.records


def _signs_otherwise(position: Position, place: str, by: Mapping[str, ServerKeys]) -> Iterator[Obstacle]:
    text, expected = name_text(position.domain), position.timeline.keys_at(place, position.domain)
    made = position.runbook.premises.of(place, position.domain) is None
    under_way = any(isinstance(each, Signed) and each.place == place for each in position.step.effects)
    for address, each in by.items():
        if each.asking and position.runbook.minds_cds and not (position.runbook.disconnects and each.gives_up):
            yield Obstacle(
                f"{place} asks the registry for a DS: {address} hands out {', '.join(each.asking)}; a "
                "registry that reads it would connect "
                "the keys in the middle of the move",
                f"have {place} publish no CDS and CDNSKEY for {text} until the move is complete",
            )
        elif expected is None and each.keys is not None and not made and not under_way:
            yield Obstacle(
                f"{text} is signed at {place} now: {address} hands out keys ({each.keys.text})",
                f"end the signing there; or draft again, with --force: `legatum move show {text}` has the wish",
            )
        elif expected is not None and (each.keys is None or each.broken) and not under_way:
            why = each.broken or "it serves the zone unsigned"
            yield Obstacle(
                f"{text} is no longer signed as it was at {place}: {address}: {why}",
                f"have {place} sign it again with the same keys; where they are lost, take the DS set out "
                "first: everybody behind a "
                "validating resolver gets nothing until its TTL has passed",
            )
        elif (
            expected is not None
            and each.keys is not None
            and not under_way
            and not _same_keys(position, expected, each)
        ):
            yield Obstacle(
                f"{place} signs {text} with other keys now: {each.keys.text}, not {expected.text}",
                f"draft again, with --force: `legatum move show {text}` has the wish",
            )
        elif expected is not None and each.keys is not None and each.keys.ttl > expected.ttl:
            yield Obstacle(
                f"{place} gives the key set of {text} with a TTL of {each.keys.ttl}; the plan rests on {expected.ttl}",
                "say `key_ttl` for it in the settings, and draft again, with --force",
            )
        else:
            continue
        return


def _same_keys(position: Position, expected: Keys, seen: ServerKeys) -> bool:
    return signs_so(seen, expected, position.runbook.known_keys)
