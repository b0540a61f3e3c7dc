"""A domain signed and connected, or disconnected again (docs/timing.md, rules 6 to 8)."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from legatum.core.dnssec.trust import DsSet, Keys, ds_brief
from legatum.core.moves.assembly import Phase, PlannedStep
from legatum.core.moves.effects import DsChanged, DsPublished, Signed, Trusted
from legatum.core.moves.needs import ChainConsistent, DsExpired
from legatum.core.moves.place import keeper_text
from legatum.core.moves.plan_input import PlanInput
from legatum.core.moves.runbook import Step
from legatum.core.records.name import name_text
from legatum.core.running.fault import AlreadySo, BadInput, GateShut


@dataclass(frozen=True, slots=True)
class Sign:
    """The parent has DS records for the keys of the present provider, which signs the zone from some step on, if it
    does not yet. ``records``: just these DS records, as texts."""

    records: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Unsign:
    """The parent has no DS any more; and the provider may end the signing then. ``ends``: it is to do so by this
    plan."""

    ends: bool = False


def sign_pieces(inputs: PlanInput, wish: Sign) -> Iterator[PlannedStep]:
    """Steps ``sign`` to ``chain``. Raises :class:`BadInput` where there is nothing to do."""
    if inputs.anchors:
        text = name_text(inputs.domain)
        fault = BadInput if wish.records and {*wish.records} != {*inputs.anchors.records} else AlreadySo
        raise fault(f"{text} is connected already: {inputs.anchors.text}", "for another key: --exchange")
    if (inputs.main, inputs.domain) not in inputs.keys:
        keys = keys_to_come(inputs, inputs.main)
        yield PlannedStep(
            Phase.MAKE,
            Step(
                "sign",
                f"Have {inputs.main} sign the zone",
                (Signed(inputs.main, inputs.domain, None, keys, inputs.follows),),
                (),
                f"every server of {inputs.main} gives keys, and signatures that hold",
                "end the signing again",
                estimate=60,
            ),
        )
    refuse_strange(inputs, wish.records)
    yield from connected(inputs, inputs.main, wish.records)


def refuse_strange(inputs: PlanInput, records: Sequence[str]) -> None:
    """Raises :class:`GateShut` for a record of a key that is not there."""
    keys = inputs.keys.get((inputs.main, inputs.domain))
    signing = set(keys.entry) if keys is not None else set()
    for each in records:
        if "/".join(each.split()[:2]) not in signing:
            raise GateShut(
                f"DS {ds_brief(each)} fits no key with which {inputs.main} signs the key set of "
                f"{name_text(inputs.domain)}",
                f"is a digit missing? `legatum ds derive {name_text(inputs.domain)}` shows those that fit",
            )


def unsign_pieces(inputs: PlanInput, wish: Unsign) -> Iterator[PlannedStep]:
    """Steps ``ds-out`` to ``unsign``. Raises :class:`BadInput` where there is nothing to do."""
    keys = inputs.keys.get((inputs.main, inputs.domain))
    if not inputs.anchors and (keys is None or not wish.ends):
        raise AlreadySo(
            f"{name_text(inputs.domain)} has no DS: {inputs.signing or inputs.unsigned}",
            "there is nothing to take away",
        )
    if inputs.anchors:
        yield from disconnected(inputs, ("whatever the registry holds by then is to go",))
        yield PlannedStep(Phase.CONFIRM, Step(
            "unsigned", f"Nobody asks {name_text(inputs.domain)} for signatures any more",
            (Trusted(inputs.domain, (inputs.main, *inputs.follows), DsSet()),), (),
            "no parent server has a DS, and every resolver answers",
            "put the DS set in again: the zone is signed as before",
        ), (DsExpired(inputs.domain),))  # fmt: skip
    if keys is not None and wish.ends:
        yield PlannedStep(
            Phase.END,
            Step(
                "unsign",
                f"Have {inputs.main} end the signing",
                (Signed(inputs.main, inputs.domain, keys, None, inputs.follows),),
                (),
                f"no server of {inputs.main} gives keys any more",
                "from here on it begins with signing anew, with other keys",
                estimate=60,
            ),
            (ChainConsistent(inputs.domain),),
        )


def keys_to_come(inputs: PlanInput, place: str) -> Keys:
    """Of a place that will sign by itself, with the TTL that the settings say; it is looked at when they are there."""
    return Keys.to_come(place, inputs.place(place).key_ttl)


def disconnected(inputs: PlanInput, gates: tuple[str, ...] = ()) -> Iterator[PlannedStep]:
    """Steps ``ds-out`` and ``ds-gone``."""
    yield from ds_steps(
        inputs,
        Phase.TRUST,
        ("ds-out", "ds-gone"),
        inputs.anchors,
        DsSet(ttl=inputs.anchors.ttl),
        "Take the DS set away",
        gates,
        "put it in again: every server still signs with these keys",
    )


def connected(inputs: PlanInput, place: str, records: tuple[str, ...] = ()) -> Iterator[PlannedStep]:
    """Steps ``ds-in`` to ``chain``: once whatever anybody holds of the zone is signed with the keys of the place.
    ``records``: instead of those of all keys that sign its key set."""
    known = records or inputs.offers.get(place, ())
    anchors = DsSet(known, () if known else (place,), inputs.anchors.ttl or inputs.parent_ttl)
    back = "take it away again; the signing stays until its TTL has passed (rule 7)"
    gates = (f"every server of {place} gives the same keys, and signatures that hold",)
    words = f"Put in the DS set for the keys of {place}"
    yield from ds_steps(
        inputs, Phase.CONNECT, ("ds-in", "ds-seen"), DsSet(ttl=anchors.ttl), anchors, words, gates, back
    )
    yield whole(inputs, (place, *inputs.followers(place)), anchors, back)


def ds_steps(
    inputs: PlanInput,
    phase: Phase,
    idents: tuple[str, str],
    before: DsSet,
    after: DsSet,
    words: str,
    gates: tuple[str, ...],
    back: str,
    ahead: bool = False,
) -> Iterator[PlannedStep]:
    """Another DS set, told to the registrar and seen at the parent, once nothing that anybody holds is at odds with it.
    ``ahead``: its keys are not in use yet."""
    _require_registrar(inputs)
    change, look = idents
    now = "just this DS set" if after else "no DS"
    yield PlannedStep(phase, Step(
        change, f"{words} {keeper_text(inputs.registrar)}",
        (DsChanged(inputs.registrar, inputs.domain, inputs.parent_zone, before, after, ahead),),
        gates or ("the registry holds just this DS set",),
        f"the registry holds {now}", back, estimate=3600 if inputs.registrar_by_hand else 2,
    ), (ChainConsistent(inputs.domain),))  # fmt: skip
    yield PlannedStep(phase, Step(
        look, f"See {after.short_text} on every server of .{name_text(inputs.parent_zone)}",
        (DsPublished(inputs.domain, after),), (),
        f"every address of every parent server {'hands out ' + now if after else 'proves that there is none'}", back,
        estimate=inputs.publishing,
    ))  # fmt: skip


def whole(inputs: PlanInput, places: tuple[str, ...], anchors: DsSet, back: str) -> PlannedStep:
    """Step ``chain``."""
    return PlannedStep(Phase.CONNECT, Step(
        "chain", "Check the chain of trust at every server", (Trusted(inputs.domain, places, anchors),), (),
        "the DS set matches at every address, registration data show it, and every resolver answers", back,
    ))  # fmt: skip


def _require_registrar(inputs: PlanInput) -> None:
    if not inputs.registrar:
        raise GateShut(
            f"the DS set of {name_text(inputs.domain)} is kept by a registrar, and none is named",
            "say which: --registrar NAME",
        )
