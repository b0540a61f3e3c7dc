"""Keys that went with the zone of their place, and come back as others when it is made anew."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from legatum.core.dnssec.trust import DsSet, Keys
from legatum.core.moves.effects import (
    Signed,
    ZoneEnded,
)
from legatum.core.moves.runbook import Step
from legatum.core.moves.timeline import Content, Timeline


@dataclass(frozen=True)
class Anew:
    """Keys that went with the zone of their place, which is made anew. ``renamed``: label → that of the keys that it
    will have then; ``gone``: labels of those that nothing comes for."""

    renamed: Mapping[str, str]
    gone: frozenset[str]
    places: Mapping[str, str]

    def keys(self, keys: Keys) -> Keys:
        published, entry, zone = (
            tuple(dict.fromkeys(self.renamed.get(each, each) for each in role)) for role in keys.roles
        )
        return Keys(published, entry, zone, keys.ttl)

    def signed(self, effect: Signed) -> Signed:
        before, after = (self.keys(each) if each is not None else None for each in (effect.before, effect.after))
        return replace(effect, before=before, after=after)

    def anchors(self, anchors: DsSet) -> DsSet:
        lost = [each for each in anchors.records if "/".join(each.split()[:2]) in {*self.renamed, *self.gone}]
        kept = tuple(each for each in anchors.records if each not in lost)
        of = {
            self.places[self.renamed["/".join(each.split()[:2])]]
            for each in lost
            if "/".join(each.split()[:2]) in self.renamed
        }
        return replace(anchors, records=kept, of=tuple(dict.fromkeys((*anchors.of, *sorted(of)))))


def keys_anew(beginning: Timeline, now: Timeline, done: Sequence[Step]) -> Anew:
    renamed, gone, places = dict[str, str](), set[str](), dict[str, str]()
    for effect in (effect for step in done for effect in step.effects if isinstance(effect, ZoneEnded)):
        before = beginning.keys_at(effect.place, effect.zone)
        if before is None or now.content(effect.place, effect.zone) == Content.WHOLE or before == effect.keys:
            continue
        others = [
            beginning.keys_at(place, effect.zone) for place in beginning.serving(effect.zone) if place != effect.place
        ]
        labels = set(before.published) - {
            label for each in others if each is not None for label in (*each.entry, *each.zone)
        }
        if effect.keys is not None and effect.keys.is_to_come:
            renamed |= dict.fromkeys(labels, effect.keys.published[0])
            places[effect.keys.published[0]] = effect.place
        else:
            gone |= labels
    return Anew(renamed, frozenset(gone), places)
