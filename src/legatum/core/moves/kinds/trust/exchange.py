"""Another key for a signed domain, in the order of RFC 6781 s4.1 (docs/timing.md, rule 9).

The provider makes keys and signatures; the plan waits for each stage at every server, and changes the DS set in
between.
"""

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, replace

from legatum.core.dnssec.trust import DsSet, Keys
from legatum.core.moves.assembly import Phase, PlannedStep
from legatum.core.moves.effects import Signed
from legatum.core.moves.kinds.trust.sign_unsign import ds_steps, refuse_strange, whole
from legatum.core.moves.needs import ChainConsistent
from legatum.core.moves.plan_input import PlanInput
from legatum.core.moves.runbook import Step
from legatum.core.records.name import name_text
from legatum.core.running.fault import BadInput, GateShut

DOUBLE_KSK, DOUBLE_SIGNATURE, DOUBLE_DS, ONE_KEY, ALGORITHM = (
    "double-ksk",
    "double-signature",
    "double-ds",
    "one-key",
    "algorithm",
)
COMBINED = "combined"
WAYS = (DOUBLE_KSK, DOUBLE_SIGNATURE, DOUBLE_DS, ONE_KEY, COMBINED, ALGORITHM)


@dataclass(frozen=True, slots=True)
class Exchange:
    """``way``: one of :data:`WAYS`, empty for the one that suits the keys; ``records``: the DS records of the new key,
    where they are known; ``algorithm``: the new one, 0 for the same."""

    way: str = ""
    records: tuple[str, ...] = ()
    algorithm: int = 0


def exchange_pieces(inputs: PlanInput, wish: Exchange) -> Iterator[PlannedStep]:
    """Raises :class:`BadInput` where there is nothing to exchange, :class:`GateShut` where a key does not fit."""
    text = name_text(inputs.domain)
    keys = inputs.keys.get((inputs.main, inputs.domain))
    if not inputs.anchors or keys is None:
        raise BadInput(f"{text} has no DS to exchange", f"a first one: `legatum move draft {text} --sign`")
    old = inputs.anchors.labels & set(keys.published)
    if wish.algorithm and (same := {wish.algorithm} & {int(each.partition("/")[2]) for each in old}):
        raise BadInput(
            f"{text} is signed with algorithm {min(same)} already",
            "another key of the same algorithm: leave --algorithm out",
        )
    way = wish.way or (ALGORITHM if wish.algorithm else ONE_KEY if old & set(keys.zone) else DOUBLE_KSK)
    if bool(wish.algorithm) != (way == ALGORITHM):
        raise BadInput(
            "another algorithm is introduced in a way of its own",
            f"say --algorithm NUMBER, and --way {ALGORITHM} or none",
        )
    if way in (DOUBLE_DS, DOUBLE_KSK) and old & set(keys.zone):
        raise GateShut(
            f"the key of {text} signs the zone as well as the key set: changed at once, old keys and new "
            "signatures would meet in caches",
            f"exchange it with --way {ONE_KEY}; --way {COMBINED} where the server signs the zone with the "
            "new key only once it has the DS",
        )
    if way == COMBINED and not old & set(keys.zone):
        raise GateShut(f"the key of {text} signs the key set alone", f"exchange it with --way {DOUBLE_KSK}")
    after = _ds_after(inputs, wish, way)
    yield from _WAYS[way](_Stage(inputs, keys, frozenset(old), after))


def _ds_after(inputs: PlanInput, wish: Exchange, way: str) -> DsSet:
    ttl = inputs.anchors.ttl
    if way == DOUBLE_DS:
        if not wish.records:
            raise GateShut(
                "with double-ds the DS comes before its key is in use: it has to be known",
                "say it: --ds 'TAG ALGORITHM TYPE DIGEST'",
            )
        return DsSet(wish.records, (), ttl)
    if wish.records:
        refuse_strange(inputs, wish.records)
    there = wish.records or tuple(
        each for each in inputs.offers.get(inputs.main, ()) if "/".join(each.split()[:2]) not in inputs.anchors.labels
    )
    if there and (not wish.algorithm or all(each.split()[1] == str(wish.algorithm) for each in there)):
        return DsSet(there, (), ttl)
    return DsSet((), (inputs.main,), ttl, new=True, algorithm=wish.algorithm)


@dataclass(frozen=True)
class _Stage:
    """``keys``: as they are, the new one perhaps among them; ``old``: those with a DS now; ``after``: the DS set at the
    end."""

    inputs: PlanInput
    keys: Keys
    old: frozenset[str]
    after: DsSet

    @property
    def places(self) -> tuple[str, ...]:
        return self.inputs.main, *self.inputs.follows

    @property
    def new(self) -> frozenset[str]:
        return self.after.labels

    def ds_steps(
        self, phase: Phase, idents: tuple[str, str], before: DsSet, after: DsSet, words: str, ahead: bool = False
    ) -> Iterator[PlannedStep]:
        back = "put the old DS set back: its key is there until the end"
        return ds_steps(self.inputs, phase, idents, before, after, words, (), back, ahead)

    def swapped(self) -> Iterator[PlannedStep]:
        """Steps ``ds-in`` to ``chain``."""
        words = f"Put the DS of {', '.join(sorted(self.new))} in the place of the old one"
        yield from self.ds_steps(Phase.CONNECT, ("ds-in", "ds-seen"), self.inputs.anchors, self.after, words)
        yield whole(self.inputs, self.places, self.after, "put the old DS set back: its key is there until the end")

    def signed(self, phase: Phase, ident: str, what: str, before: Keys, after: Keys) -> Iterator[PlannedStep]:
        """A stage at the provider; none where it is there already."""
        if before.are(after):
            return
        main = self.inputs.main
        yield PlannedStep(
            phase,
            Step(
                ident,
                f"Have {main} {what}",
                (Signed(main, self.inputs.domain, before, after, self.inputs.follows),),
                (),
                f"every server of {main} gives just these keys, and signatures that hold",
                "have it as it was before",
                estimate=60,
            ),
            (ChainConsistent(self.inputs.domain),),
        )


def _double_ksk(stage: _Stage) -> Iterator[PlannedStep]:
    both = _with(stage.keys, stage.new, "published", "entry")
    yield from stage.signed(Phase.MAKE, "new-key", "add a new key, and sign the key set with both", stage.keys, both)
    yield from stage.swapped()
    yield from stage.signed(
        Phase.CLOSE, "old-key", "take the old key out", both, _without(both, stage.old, "published", "entry")
    )


def _double_ds(stage: _Stage) -> Iterator[PlannedStep]:
    now, ttl = stage.inputs.anchors, stage.after.ttl
    both = DsSet(tuple(sorted({*now.records, *stage.after.records})), (), ttl)
    words = "Put in the DS of the new key beside the old one"
    yield from stage.ds_steps(Phase.TRUST, ("ds-both", "ds-both-seen"), now, both, words, ahead=True)
    roles = [role for role in ("published", "entry", "zone") if stage.old & set(getattr(stage.keys, role))]
    new = _with(_without(stage.keys, stage.old, *roles), stage.new, *roles)
    yield from stage.signed(Phase.CONNECT, "new-key", "put the new key in the place of the old one", stage.keys, new)
    yield from stage.ds_steps(Phase.CONNECT, ("ds-in", "ds-seen"), both, stage.after, "Take the DS of the old key out")
    yield whole(stage.inputs, stage.places, stage.after, "put the old DS beside it again")


def _one_key(stage: _Stage) -> Iterator[PlannedStep]:
    both = _with(stage.keys, stage.new, "published", "entry")
    resigned = _with(_without(both, stage.old, "zone"), stage.new, "zone")
    yield from stage.signed(Phase.MAKE, "new-key", "add a new key, and sign the key set with both", stage.keys, both)
    yield from stage.signed(Phase.CONNECT, "re-sign", "sign the zone with the new key", both, resigned)
    yield from stage.swapped()
    end = _without(resigned, stage.old, "published", "entry")
    yield from stage.signed(Phase.CLOSE, "old-key", "take the old key out", resigned, end)


def _combined(stage: _Stage) -> Iterator[PlannedStep]:
    """One key for all, at a signer that goes on signing the zone with the old one until it is told that the new one has
    its DS; from then on the old one signs nothing, and stays published for as long as answers signed with it may be
    kept."""
    both = _with(stage.keys, stage.new, "published", "entry")
    alone = _with(_without(both, stage.old, "entry", "zone"), stage.new, "zone")
    yield from stage.signed(Phase.MAKE, "new-key", "add a new key, and sign the key set with both", stage.keys, both)
    yield from stage.swapped()
    yield from stage.signed(Phase.CLOSE, "alone", "sign everything with the new key alone", both, alone)
    yield from stage.signed(
        Phase.CLOSE, "old-key", "take the old key out", alone, _without(alone, stage.old, "published")
    )


def _double_signature(stage: _Stage) -> Iterator[PlannedStep]:
    roles = ("published", "entry", "zone")
    both = _with(stage.keys, stage.new, *roles)
    yield from stage.signed(Phase.MAKE, "new-key", "add a new key, and sign everything with both", stage.keys, both)
    yield from stage.swapped()
    yield from stage.signed(
        Phase.CLOSE, "old-key", "take the old key out, and its signatures", both, _without(both, stage.old, *roles)
    )


def _algorithm(stage: _Stage) -> Iterator[PlannedStep]:
    every = set(stage.keys.published) - stage.new
    signatures = _with(stage.keys, stage.new, "zone")
    both = _with(signatures, stage.new, "published", "entry")
    yield from stage.signed(
        Phase.MAKE, "new-signatures", "sign with the new algorithm too, its key unpublished", stage.keys, signatures
    )
    yield from stage.signed(Phase.MAKE, "new-key", "publish the key of the new algorithm", signatures, both)
    yield from stage.swapped()
    unpublished = _without(both, every, "published")
    words = "take the old keys out, and leave all their signatures"
    yield from stage.signed(Phase.CLOSE, "old-key", words, both, unpublished)
    yield from stage.signed(
        Phase.CLOSE,
        "old-signatures",
        "take the old signatures out",
        unpublished,
        _without(unpublished, every, "entry", "zone"),
    )


_WAYS = {
    DOUBLE_KSK: _double_ksk,
    DOUBLE_SIGNATURE: _double_signature,
    DOUBLE_DS: _double_ds,
    ONE_KEY: _one_key,
    COMBINED: _combined,
    ALGORITHM: _algorithm,
}


def _with(keys: Keys, labels: Iterable[str], *roles: str) -> Keys:
    more = set(labels)
    return _each(keys, roles, lambda had: tuple(sorted({*had, *more})))


def _without(keys: Keys, labels: Iterable[str], *roles: str) -> Keys:
    gone = set(labels)
    return _each(keys, roles, lambda had: tuple(each for each in had if each not in gone))


def _each(keys: Keys, roles: Iterable[str], changed: Callable[[tuple[str, ...]], tuple[str, ...]]) -> Keys:
    named = {"published": keys.published, "entry": keys.entry, "zone": keys.zone}
    named |= {role: changed(named[role]) for role in roles}
    return replace(keys, published=named["published"], entry=named["entry"], zone=named["zone"])
