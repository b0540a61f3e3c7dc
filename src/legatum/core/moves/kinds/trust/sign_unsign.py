"""A domain signed and connected, or disconnected again (docs/timing.md, rules 6 to 8)."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from legatum.core.dnssec.trust import DsSet, Keys, ds_brief
from legatum.core.fault import AlreadySo, BadInput, GateShut
from legatum.core.moves.assembly import Phase, PlannedStep
from legatum.core.moves.effects import DsChanged, DsPublished, Signed, Trusted
from legatum.core.moves.needs import ChainConsistent, DsExpired
from legatum.core.moves.place import keeper_text
from legatum.core.moves.plan_input import PlanInput
from legatum.core.moves.runbook import Step
from legatum.core.records.name import name_text


@dataclass(frozen=True, slots=True)
class Sign:
    """The parent vouches for the keys of the present provider, which signs the zone from some step on, if it does not yet. ``records``:
    just these DS records, as texts."""

    records: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Unsign:
    """The parent vouches for no keys any more; and the provider may end the signing then. ``ends``: it is to do so by this plan."""

    ends: bool = False


def sign_pieces(drawing: PlanInput, wish: Sign) -> Iterator[PlannedStep]:
    """Steps ``sign`` to ``chain``. Raises :class:`BadInput` where there is nothing to do."""
    if drawing.anchors:
        text = name_text(drawing.domain)
        fault = BadInput if wish.records and {*wish.records} != {*drawing.anchors.records} else AlreadySo
        raise fault(f"{text} is connected already: {drawing.anchors.text}", "for another key: --exchange")
    if (drawing.main, drawing.domain) not in drawing.keys:
        keys = keys_to_come(drawing, drawing.main)
        yield PlannedStep(Phase.MAKE, Step(
            "sign", f"Have {drawing.main} sign the zone", (Signed(drawing.main, drawing.domain, None, keys, drawing.follows),), (),
            f"every server of {drawing.main} gives keys, and signatures that hold", "end the signing again", estimate=60,
        ))  # fmt: skip
    refuse_strange(drawing, wish.records)
    yield from connected(drawing, drawing.main, wish.records)


def refuse_strange(drawing: PlanInput, records: Sequence[str]) -> None:
    """Raises :class:`GateShut` for a record of a key that is not there."""
    keys = drawing.keys.get((drawing.main, drawing.domain))
    signing = set(keys.entry) if keys is not None else set()
    for each in records:
        if "/".join(each.split()[:2]) not in signing:
            raise GateShut(
                f"DS {ds_brief(each)} fits no key with which {drawing.main} signs the key set of {name_text(drawing.domain)}",
                f"is a digit missing? `legatum ds derive {name_text(drawing.domain)}` shows those that fit",
            )


def unsign_pieces(drawing: PlanInput, wish: Unsign) -> Iterator[PlannedStep]:
    """Steps ``ds-out`` to ``unsign``. Raises :class:`BadInput` where there is nothing to do."""
    keys = drawing.keys.get((drawing.main, drawing.domain))
    if not drawing.anchors and (keys is None or not wish.ends):
        raise AlreadySo(f"{name_text(drawing.domain)} has no DS: {drawing.signing or drawing.unsigned}", "there is nothing to take away")
    if drawing.anchors:
        yield from disconnected(drawing, ("whatever the registry holds by then is to go",))
        yield PlannedStep(Phase.CONFIRM, Step(
            "unsigned", f"Nobody asks {name_text(drawing.domain)} for signatures any more",
            (Trusted(drawing.domain, (drawing.main, *drawing.follows), DsSet()),), (),
            "no parent server has a DS, and every resolver answers",
            "put the DS set in again: the zone is signed as before",
        ), (DsExpired(drawing.domain),))  # fmt: skip
    if keys is not None and wish.ends:
        yield PlannedStep(Phase.END, Step(
            "unsign", f"Have {drawing.main} end the signing", (Signed(drawing.main, drawing.domain, keys, None, drawing.follows),), (),
            f"no server of {drawing.main} gives keys any more", "from here on it begins with signing anew, with other keys", estimate=60,
        ), (ChainConsistent(drawing.domain),))  # fmt: skip


def keys_to_come(drawing: PlanInput, place: str) -> Keys:
    """Of a place that will sign by itself, with the TTL that the settings say; it is looked at when they are there."""
    return Keys.to_come(place, drawing.place(place).key_ttl)


def disconnected(drawing: PlanInput, gates: tuple[str, ...] = ()) -> Iterator[PlannedStep]:
    """Steps ``ds-out`` and ``ds-gone``."""
    yield from vouching(
        drawing, Phase.TRUST, ("ds-out", "ds-gone"), drawing.anchors, DsSet(ttl=drawing.anchors.ttl), "Take the DS set away", gates,
        "put it in again: every server still signs with these keys",
    )  # fmt: skip


def connected(drawing: PlanInput, place: str, records: tuple[str, ...] = ()) -> Iterator[PlannedStep]:
    """Steps ``ds-in`` to ``chain``: once whatever anybody holds of the zone is signed with the keys of the place. ``records``: instead of
    those of all keys that sign its key set."""
    known = records or drawing.offers.get(place, ())
    anchors = DsSet(known, () if known else (place,), drawing.anchors.ttl or drawing.parent_ttl)
    back = "take it away again; the signing stays until its TTL has passed (rule 7)"
    gates = (f"every server of {place} gives the same keys, and signatures that hold",)
    words = f"Put in the DS set for the keys of {place}"
    yield from vouching(drawing, Phase.CONNECT, ("ds-in", "ds-seen"), DsSet(ttl=anchors.ttl), anchors, words, gates, back)
    yield whole(drawing, (place, *drawing.followers(place)), anchors, back)


def vouching(
    drawing: PlanInput, phase: Phase, idents: tuple[str, str], before: DsSet, after: DsSet, words: str, gates: tuple[str, ...], back: str,
    ahead: bool = False,
) -> Iterator[PlannedStep]:  # fmt: skip
    """Another DS set, told to the registrar and seen at the parent, once nothing that anybody holds is at odds with it. ``ahead``: its
    keys are not in use yet."""
    _require_registrar(drawing)
    change, look = idents
    now = "just this DS set" if after else "no DS"
    yield PlannedStep(phase, Step(
        change, f"{words} {keeper_text(drawing.registrar)}",
        (DsChanged(drawing.registrar, drawing.domain, drawing.parent_zone, before, after, ahead),),
        gates or ("the registry holds just this DS set",),
        f"the registry holds {now}", back, estimate=3600 if drawing.registrar_by_hand else 2,
    ), (ChainConsistent(drawing.domain),))  # fmt: skip
    yield PlannedStep(phase, Step(
        look, f"See {'the DS set' if after else 'no DS'} on every server of .{name_text(drawing.parent_zone)}",
        (DsPublished(drawing.domain, after),), (),
        f"every address of every parent server {'hands out ' + now if after else 'proves that there is none'}", back,
        estimate=drawing.publishing,
    ))  # fmt: skip


def whole(drawing: PlanInput, places: tuple[str, ...], anchors: DsSet, back: str) -> PlannedStep:
    """Step ``chain``."""
    return PlannedStep(Phase.CONNECT, Step(
        "chain", "Check the chain of trust at every server", (Trusted(drawing.domain, places, anchors),), (),
        "what the parent vouches for holds at every address, registration data show it, and every resolver answers", back,
    ))  # fmt: skip


def _require_registrar(drawing: PlanInput) -> None:
    if not drawing.registrar:
        raise GateShut(
            f"the DS set of {name_text(drawing.domain)} is kept by a registrar, and none is named", "say which: --registrar NAME"
        )
