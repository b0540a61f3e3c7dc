"""A signed domain led to another provider: the safest way that both sides can go (docs/timing.md, rule 8)."""

from collections.abc import Iterator
from dataclasses import replace

from legatum.core.dnssec.trust import DsSet, Keys
from legatum.core.moves.assembly import Phase, PlannedStep
from legatum.core.moves.effects import Signed
from legatum.core.moves.kinds.trust.sign_unsign import connected, disconnected, ds_steps, whole
from legatum.core.moves.needs import ChainConsistent
from legatum.core.moves.place import Place
from legatum.core.moves.plan_input import PlanInput
from legatum.core.moves.runbook import Step
from legatum.core.records.name import name_text
from legatum.core.running.fault import GateShut

SAME_KEYS, SHARED_KEYS, UNSIGNED = "same-keys", "shared-keys", "unsigned"
PASSAGES = (SHARED_KEYS, SAME_KEYS, UNSIGNED)


def passage_of(old: Place, new: Place, asked: str) -> tuple[str, str]:
    """Which one, and why. Raises :class:`GateShut` for one that a side cannot do."""
    lacking = {
        SAME_KEYS: [] if new.takes_keys else [f"{new.name} takes no keys that are brought along"],
        SHARED_KEYS: [
            *([] if old.takes_foreign else [f"{old.name} takes no zone keys of others"]),
            *(
                []
                if new.takes_foreign and new.signs
                else [f"{new.name} takes no zone keys of others, or does not sign by itself"]
            ),
        ],
        UNSIGNED: [],
    }
    if asked and lacking[asked]:
        raise GateShut(
            f"{asked}: {'; '.join(lacking[asked])}",
            "the settings say what a provider can: `takes_keys`; or choose another --passage",
        )
    chosen = asked or next(each for each in PASSAGES if not lacking[each])
    why = {
        SAME_KEYS: f"led with the same keys ({new.name} takes them): it stays signed all the way",
        SHARED_KEYS: (
            f"led with both sides' zone keys in both key sets ({old.name} and {new.name} take them): it "
            "stays signed all the way"
        ),
        UNSIGNED: "led unsigned",
    }[chosen]
    reasons = (
        "as was asked for"
        if asked
        else "; ".join(dict.fromkeys(each for way in PASSAGES if way != chosen for each in lacking[way]))
    )
    return chosen, f"{why}{', because ' if not asked and reasons else ', ' if reasons else ''}{reasons}"


def before_leading(inputs: PlanInput, passage: str, old: Place, new: Place, keys: Keys | None) -> Iterator[PlannedStep]:
    """What has to be so before anybody is led to the new side. ``keys``: those that it makes by itself."""
    if passage == UNSIGNED:
        yield from disconnected(inputs)
        return
    signing = signing_of(inputs, old)
    if passage == SAME_KEYS:
        same = replace(signing, ttl=max(signing.ttl, new.key_ttl))
        yield PlannedStep(
            Phase.TRUST,
            Step(
                "keys-brought",
                f"Bring the keys of {old.name} along: have {new.name} sign with them, and with no others",
                (Signed(new.name, inputs.domain, keys, same),),
                (),
                f"every server of {new.name} gives the very keys of {old.name}, and signatures that hold",
                f"nobody asks {new.name} yet",
                estimate=600,
            ),
        )
        return
    assert keys is not None
    for place, own, foreign in ((old, signing, keys), (new, keys, signing)):
        other = new if place is old else old
        yield PlannedStep(
            Phase.TRUST,
            Step(
                f"keys-at-{place.name}",
                f"Put the zone keys of {other.name} into the key set at {place.name}",
                (
                    Signed(
                        place.name,
                        inputs.domain,
                        own,
                        own.with_foreign(foreign.zone),
                        inputs.followers(place.name),
                        other.name,
                    ),
                ),
                (f"every server of {other.name} gives the same keys", "both sides sign with the same algorithm"),
                f"every server of {place.name} hands out the zone keys of both",
                "take them out again",
                estimate=60,
            ),
            (ChainConsistent(inputs.domain),),
        )
    yield from ds_steps(
        inputs, Phase.TRUST, ("ds-both", "ds-both-seen"), inputs.anchors, both_ds_sets(inputs, new),
        f"Put in the DS of the keys of {new.name} beside the old one", (), "take it out again",
    )  # fmt: skip


def after_leading(
    inputs: PlanInput, passage: str, new: Place, old: Place, keys: Keys | None, unsigned: bool
) -> Iterator[PlannedStep]:
    """What comes when nobody asks the old side any more. ``unsigned``: it may stay so."""
    if passage == UNSIGNED and keys is not None and not unsigned:
        yield from connected(inputs, new.name)
    if passage != SHARED_KEYS:
        return
    assert keys is not None
    alone = DsSet((), (new.name,), inputs.anchors.ttl)
    back = f"put both in again: {old.name} has to serve the zone for that"
    yield from apart(
        inputs,
        new.name,
        old.name,
        (both_ds_sets(inputs, new), alone),
        (keys.with_foreign(signing_of(inputs, old).zone), keys),
        back,
    )


def apart(
    inputs: PlanInput, staying: str, leaving: str, ds_sets: tuple[DsSet, DsSet], keys: tuple[Keys, Keys], back: str
) -> Iterator[PlannedStep]:  # fmt: skip
    """Steps ``ds-in`` to ``keys-own``: of two that shared their zone keys one stays. ``ds_sets``, ``keys``: the DS set,
    and the keys with which that one signs, before and after."""
    both, alone = ds_sets
    shared, own = keys
    if both != alone:
        words = f"Take the DS of the keys of {leaving} out"
        yield from ds_steps(inputs, Phase.CONNECT, ("ds-in", "ds-seen"), both, alone, words, (), back)
        yield whole(inputs, (staying, *inputs.followers(staying)), alone, back)
    if shared != own:
        yield PlannedStep(Phase.CLOSE, Step(
            "keys-own", f"Take the zone keys of {leaving} out of the key set at {staying}",
            (Signed(staying, inputs.domain, shared, own, inputs.followers(staying), leaving),), (),
            f"every server of {staying} hands out its own keys alone", "put them in again", estimate=60,
        ), (ChainConsistent(inputs.domain),))  # fmt: skip


def both_ds_sets(inputs: PlanInput, new: Place) -> DsSet:
    return DsSet(inputs.anchors.records, (new.name,), inputs.anchors.ttl)


def signing_of(inputs: PlanInput, old: Place) -> Keys:
    keys = inputs.keys.get((old.name, inputs.domain))
    if keys is None:
        raise GateShut(
            f"{name_text(inputs.domain)} has a DS, and {old.name} does not sign it",
            f"`legatum ds show {name_text(inputs.domain)}`",
        )
    return keys
