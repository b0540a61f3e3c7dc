"""One set of texts that several wishes change, each by itself: made to follow on one another, so that none loses what
another put there."""

from collections.abc import Sequence
from dataclasses import replace

from legatum.core.moves.assembly import PlannedStep
from legatum.core.moves.effects import Answered, Effect, Records, RRsetChange
from legatum.core.moves.place import RRsetKey
from legatum.core.records.name import Name, name_text
from legatum.core.records.rrset import RRset, rrset
from legatum.core.records.rrtype import TXT
from legatum.core.running.fault import BadInput
from legatum.core.service.spf import spf_texts

_Place = tuple[str, Name, RRsetKey]


def with_texts_merged(pieces: Sequence[PlannedStep]) -> list[PlannedStep]:
    """The same pieces. Where a step would begin with another set of texts than the steps before it leave, it adds and
    takes out the same texts of what they leave. Raises :class:`BadInput` where two want something else of one text."""
    state, found = dict[_Place, RRset | None](), list(pieces)
    for number, piece in sorted(enumerate(pieces), key=lambda each: each[1].phase):
        effects = tuple(_on_top(effect, state, piece.step.id) for effect in piece.step.effects)
        found[number] = replace(piece, step=replace(piece.step, effects=effects))
    return found


def _on_top(effect: Effect, state: dict[_Place, RRset | None], step: str) -> Effect:
    match effect:
        case Records():
            changes = []
            for each in effect.changed:
                place = (effect.place, effect.zone, each.key)
                if each.key[1] == TXT:
                    each = _rebased(each, state.get(place, each.before), step)
                    state[place] = each.after
                changes.append(each)
            return replace(effect, changed=tuple(changes))
        case Answered():
            given = (_given(each, effect, state) for each in effect.rrsets)
            return replace(effect, rrsets=tuple(each for each in given if each is not None))
        case _:
            return effect


def _given(wanted: RRset, effect: Answered, state: dict[_Place, RRset | None]) -> RRset | None:
    """What the places give by then."""
    places = ((place, effect.zone, (wanted.name, wanted.rtype)) for place in effect.places)
    return next((state[place] for place in places if place in state), wanted)


def _rebased(change: RRsetChange, present: RRset | None, step: str) -> RRsetChange:
    if change.before == present:
        return change
    old, new = (each.rdatas if each is not None else () for each in (change.before, change.after))
    there = present.rdatas if present is not None else ()
    gone = set(old) - set(new)
    if not gone <= set(there):
        name = name_text(change.key[0])
        raise BadInput(
            f"a text at {name} is changed by two wishes, one of them in '{step}'", "draft one after the other"
        )
    if (set(new) - set(old)) & set(there):
        raise BadInput(
            f"one text at {name_text(change.key[0])} is wanted by two wishes, one of them in '{step}'",
            "leave one of them out",
        )
    data = dict.fromkeys([*(each for each in there if each not in gone), *(each for each in new if each not in old)])
    ttls = [each.ttl for each in (change.before, change.after) if each is not None]
    lowered = len(ttls) > 1 and ttls[0] != ttls[1]
    ttl = present.ttl if present is not None and not lowered else ttls[-1]
    after = rrset(*change.key, ttl, data) if data else None
    if len(spf_texts(after)) > 1:
        raise BadInput(
            f"{name_text(change.key[0])} would have two SPF records, one of them by '{step}'",
            "draft one after the other",
        )
    return RRsetChange(present, after)
