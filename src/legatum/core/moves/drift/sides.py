"""Two places that serve the same zone during a move: what differs between them, who made the difference, and what to do
about it."""

from collections.abc import Collection, Iterable, Mapping, Sequence

from legatum.core.moves.drift.position import Position, Refusal
from legatum.core.moves.effects import Gathered, Records, RRsetChange
from legatum.core.moves.place import RRsetKey
from legatum.core.observation.answers import AnswerDifference
from legatum.core.records.name import Name, name_text
from legatum.core.zones.difference import Difference, Edit, difference_text, edits_between, zone_differences
from legatum.core.zones.zone import Zone


def meant_to_differ(position: Position, zone: Name, places: Iterable[str]) -> set[RRsetKey]:
    """What the plan itself makes different between the places, by what is done."""
    asked = list(places)
    return {
        key
        for key in position.timeline.keys(zone)
        if len({position.timeline.rrset(place, zone, *key) for place in asked}) > 1
    }


def worse_at(position: Position, left: str, one: Zone, right: str, other: Zone) -> list[Difference]:
    """RRsets by which visitors would be worse off at ``right``."""
    meant = meant_to_differ(position, one.origin, (left, right))
    return [
        each for each in zone_differences(one, other) if each.weight.refuses and (each.name, each.rtype) not in meant
    ]


def differing_refusal(position: Position, left: str, right: str, found: Sequence[Difference]) -> Refusal:
    listed = ", ".join(f"{name_text(each.name)} ({each.kind})" for each in found[:4])
    reason = f"{len(found)} RRsets differ between {left} (left) and {right} (right): {listed}"
    return Refusal(reason, edit_remedy(position, left, right))


def edit_remedy(position: Position, left: str, right: str) -> str:
    """What to do about an edit at one side only."""
    domain = name_text(position.domain)
    gathering = next(
        (step.id for step in position.runbook.steps if any(isinstance(each, Gathered) for each in step.effects)), ""
    )
    if position.leading_begun or not gathering:
        return (
            "make the same edit on both sides, then the same command again; see all: `legatum compare "
            f"{left} {right} --domain {domain}`"
        )
    return f"somebody edited one side: `legatum move advance {domain} --again {gathering}`"


def edits_told(
    position: Position, before: Mapping[str, Zone], now: Mapping[str, Zone], meant: Collection[RRsetKey]
) -> list[Refusal]:
    """A refusal for each edit that only one side has, with what makes it at the other. ``before``, ``now``: place → its
    zone when it was made there, and as it is; ``meant``: RRsets that the plan itself makes different."""
    found = [each for each in edits_between(before, now) if (each.change.name, each.change.rtype) not in meant]
    return [_told(position, each, now) for each in found]


def _told(position: Position, edit: Edit, now: Mapping[str, Zone]) -> Refusal:
    change = edit.change
    reason = f"edited at {edit.place} only: {difference_text(change)}"
    remedy = edit_remedy(position, edit.place, edit.others[0])
    if edit.clashes:
        return Refusal(f"{reason}; and edited otherwise at {', '.join(edit.others)}", remedy)
    key = (change.name, change.rtype)
    made = [
        Records(other, now[other].origin, (RRsetChange(now[other].get(*key), change.right),)) for other in edit.others
    ]
    return Refusal(reason, remedy, mended=tuple(made))


def sides_differ(
    position: Position, now: Mapping[str, Zone], edits: Sequence[Refusal], meant: Collection[RRsetKey]
) -> list[Refusal]:  # fmt: skip
    """Of places that serve a zone, or what was gathered of it and the one that does, those that are not as the first
    is, edits that are told already aside."""
    (one, first), *others = now.items()
    known = {
        *meant,
        *(
            each.key
            for told in edits
            for effect in told.mended
            if isinstance(effect, Records)
            for each in effect.changed
        ),
    }
    found = []
    for other, second in others:
        left = [each for each in zone_differences(first, second)
                if not each.expected and each.weight.refuses and (each.name, each.rtype) not in known]  # fmt: skip
        if left:
            found.append(differing_refusal(position, one, other, left))
    return found


def is_meant(difference: AnswerDifference, meant: Collection[RRsetKey]) -> bool:
    """Whatever is not the same in it the plan makes different: the answer itself, or what an alias leads to."""
    rest = {(said.form, frozenset(each for each in said.records if each[:2] not in meant)) for said in difference.said}
    return (difference.name, difference.rtype) in meant or len(rest) == 1
