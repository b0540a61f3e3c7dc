"""Signed domains: what is called safe is never bogus to a validating cache, and the classic accidents are found."""

import random
from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from legatum.core.calendar.timing import Caution
from legatum.core.dnssec.trust import DsSet, Keys
from legatum.core.memory.keys import KeyState
from legatum.core.moves.kinds.first_and_last import Retirement
from legatum.core.moves.kinds.hosts import Hosts
from legatum.core.moves.kinds.provider import NewProvider
from legatum.core.moves.kinds.second import Second
from legatum.core.moves.kinds.second_signer import SecondSigner
from legatum.core.moves.kinds.trust.exchange import Exchange
from legatum.core.moves.kinds.trust.sign_unsign import Sign, Unsign
from legatum.core.moves.plan import Wish, draw
from legatum.core.moves.plan_input import PlanInput
from legatum.core.moves.retreat import Begun, draft_retreat
from legatum.core.moves.runbook import Runbook, Step, forecast
from legatum.core.moves.timeline import FOREVER
from legatum.core.records.rrset import rrset
from legatum.core.records.rrtype import NS
from legatum.core.rehearsal import build_stage, rehearse
from legatum.core.rehearsal.playback import Playback
from legatum.core.running.fault import BadInput, GateShut
from tests.core.moves import drawn
from tests.core.moves.drawn import ABOVE, ALDER, BIRCH, CEDAR, DOMAIN, HOST, ZONE, plan_input

KEYS = Keys(("12/13", "34/13"), ("12/13",), ("34/13",), 7200)
BOTH = Keys(("12/13", "34/13", "56/13"), ("12/13", "56/13"), ("34/13",), 7200)
OLD, NEW = "12 13 2 AA", "56 13 2 BB"
ROWAN = replace(BIRCH, signs=True)
WITH_HOST = replace(ALDER, servers={**ALDER.servers, HOST: ("198.51.100.77",)})


def signed(ds_ttl: int = 3600, keys: Keys = KEYS, **more: object) -> PlanInput:
    fields = {
        "places": (ABOVE, ALDER, ROWAN, CEDAR), "keys": {("alder", DOMAIN): keys}, "anchors": DsSet((OLD,), (), ds_ttl),
        "offers": {"alder": (OLD,)}, "signing": "signed", "unsigned": "", "caution": Caution(0, 4, 30),
    }  # fmt: skip
    return plan_input(**{**fields, **more})  # type: ignore[arg-type]


UNCONNECTED = signed(anchors=DsSet(), earlier_keys={("alder", DOMAIN): (KeyState(None, -FOREVER, -FOREVER),)})
EXCHANGING = signed(
    keys=BOTH, offers={"alder": (OLD, NEW)}, earlier_keys={("alder", DOMAIN): (KeyState(KEYS, -FOREVER, -FOREVER),)}
)
SHARING = (ABOVE, replace(ALDER, takes_foreign=True), replace(ROWAN, takes_foreign=True), CEDAR)
BROUGHT = (ABOVE, ALDER, replace(ROWAN, takes_keys=True), CEDAR)
ONE = Keys(("12/13",), ("12/13",), ("12/13",), 7200)
THEIRS = Keys(("78/13", "90/13", "34/13"), ("78/13",), ("90/13",), 7200)
TOGETHER = rrset(DOMAIN, NS, 86400, (*ALDER.servers, *BIRCH.servers))
BESIDE = signed(
    places=SHARING,
    delegation=tuple(sorted((*ALDER.servers, *BIRCH.servers))),
    anchors=DsSet((OLD, "78 13 2 CC"), (), 3600),
    zones={(place, DOMAIN): ZONE.with_rrsets([TOGETHER]) for place in ("alder", "birch")},
)
BESIDE = replace(BESIDE, hosts=(), keys={("alder", DOMAIN): KEYS.with_foreign(["90/13"]), ("birch", DOMAIN): THEIRS})
FIRST_LEAVING = replace(BESIDE, main="birch", places=(ABOVE, replace(SHARING[1], signs=True), *SHARING[2:]))
ONE_IS_DEAD = replace(BESIDE, places=SHARING[:2], zones={("alder", DOMAIN): BESIDE.contents})
PLANS: dict[str, tuple[PlanInput, Wish]] = {
    "passage": (signed(), NewProvider(DOMAIN, "alder", "birch")),
    "passage-at-once": (signed(ds_ttl=86400, at_once=True), NewProvider(DOMAIN, "alder", "birch")),
    "to-one-that-does-not-sign": (signed(), NewProvider(DOMAIN, "alder", "cedar", unsigned=True)),
    "unsigned": (signed(), Unsign(True)),
    "signed": (plan_input(), Sign()),
    "connected": (UNCONNECTED, Sign()),
    "shared": (signed(places=SHARING), NewProvider(DOMAIN, "alder", "birch")),
    "shared-long-ttls": (
        signed(ds_ttl=86400, keys=replace(KEYS, ttl=172800), places=SHARING),
        NewProvider(DOMAIN, "alder", "birch"),
    ),
    "shared-by-two-signers": (
        signed(places=(ABOVE, replace(ALDER, takes_foreign=True, signs=True), *SHARING[2:])),
        NewProvider(DOMAIN, "alder", "birch"),
    ),
    "same-keys": (signed(places=BROUGHT), NewProvider(DOMAIN, "alder", "birch")),
    "exchanged": (EXCHANGING, Exchange()),
    "double-ksk": (signed(), Exchange()),
    "double-ds": (signed(), Exchange("double-ds", (NEW,))),
    "double-signature": (signed(keys=ONE), Exchange("double-signature")),
    "one-key": (signed(keys=ONE), Exchange()),
    "combined": (signed(keys=ONE), Exchange("combined")),
    "algorithm": (signed(ds_ttl=86400), Exchange(algorithm=15)),
    "algorithm-of-one-key": (signed(keys=replace(ONE, ttl=86400)), Exchange(algorithm=15)),
    "second": (signed(), Second("cedar")),
    "beside": (signed(places=SHARING), SecondSigner("birch")),
    "beside-long-ttls": (signed(ds_ttl=86400, keys=replace(KEYS, ttl=172800), places=SHARING), SecondSigner("birch")),
    "beside-no-longer": (BESIDE, SecondSigner("birch", True)),
    "first-leaves": (FIRST_LEAVING, SecondSigner("alder", True)),
    "beside-is-dead": (ONE_IS_DEAD, SecondSigner("birch", True, tuple(BIRCH.servers))),
    "retired": (signed(), Retirement()),
    "hosts": (
        signed(places=(ABOVE, WITH_HOST, ROWAN, CEDAR)),
        Hosts({HOST: ("198.51.100.77",)}, {HOST: None}, (HOST,)),
    ),
}


def plan(kind: str) -> Runbook:
    of, wish = PLANS[kind]
    return draw(of, "m1", kind, [wish])


def test_two_steps_of_a_plan_never_have_the_same_title() -> None:
    plans = [plan(kind) for kind in PLANS] + [drawn.plan(kind) for kind in drawn.KINDS]
    for runbook in plans:
        titles = [each.title for each in runbook.steps]
        assert len(set(titles)) == len(titles), (runbook.wish, titles)


def without_waits(runbook: Runbook, ident: str, rules: set[int]) -> Runbook:
    """The same, somebody being too quick before one step."""

    def quick(step: Step) -> Step:
        return (
            replace(step, waits=tuple(each for each in step.waits if each.rule not in rules))
            if step.id in ident.split()
            else step
        )

    return replace(runbook, steps=tuple(map(quick, runbook.steps)))


@pytest.mark.parametrize("kind", PLANS)
def test_every_plan_is_safe_and_so_is_every_way_back(kind: str) -> None:
    runbook = plan(kind)
    found = rehearse(runbook, {}, runbook.drafted)
    assert found.safe, found.counterexamples[0].story
    slots = list(forecast(runbook, {}, runbook.drafted))
    for done in range(1, len(slots) + 1):
        begun = {slot.step.id: Begun(slot.first, slot.ends) for slot in slots[:done]}
        back = draft_retreat(runbook, begun, slots[done - 1].ends)
        if back.steps:
            rehearsed = rehearse(back, {}, back.drafted)
            assert rehearsed.safe, (kind, slots[done - 1].step.id, rehearsed.counterexamples[0].story)


@pytest.mark.parametrize(
    ("kind", "step", "rules", "said"),
    [
        ("passage-at-once", "ready", {7}, "matches"),  # the DS set still held when the other side's keys come
        ("passage", "ds-in", {6, 8}, "the keys do not prove the answer"),  # old data and keys beside the new DS set
        ("to-one-that-does-not-sign", "ready", {1, 7}, "no keys at all"),
        ("unsigned", "unsigned unsign", {7}, "no keys at all"),
        ("signed", "ds-in", {6}, "unsigned"),
        ("connected", "ds-in", {6}, "unsigned"),
        ("exchanged", "ds-in", {9}, "none of them is one that the DS set matches"),
        (
            "double-ksk",
            "old-key",
            {7},
            "none of them is one that the DS set matches",
        ),  # the key goes, its DS is in caches still
        ("double-ds", "new-key", {7}, "none of them is one that the DS set matches"),
        ("one-key", "old-key", {6}, "the keys do not prove the answer"),
        (
            "algorithm",
            "new-key",
            {6},
            "wants a signature of every algorithm",
        ),  # an algorithm in the key set that old answers lack
        ("algorithm", "old-signatures", {6, 7, 9}, "wants a signature of every algorithm"),  # dropped too early
        (
            "shared-long-ttls",
            "ready",
            {7, 9},
            "the keys do not prove the answer",
        ),  # one side's keys missing in the other's set
        ("shared-long-ttls", "ds-in", {6, 8, 9}, "none of them is one that the DS set matches"),
        ("shared", "ds-in keys-own", {6, 7, 8, 9}, "the keys do not prove the answer"),
    ],
)
def test_the_classic_accidents_are_stories(kind: str, step: str, rules: set[int], said: str) -> None:
    of, _ = PLANS[kind]
    if kind == "to-one-that-does-not-sign":
        of = replace(of, at_once=True, anchors=DsSet((OLD,), (), 86400))
    runbook = without_waits(draw(of, "m1", kind, [PLANS[kind][1]]), step, rules)
    found = rehearse(runbook, {}, runbook.drafted)
    stories = [" ".join(each.story) for each in found.counterexamples]
    assert not found.safe and any(said in each for each in stories), stories
    assert all(
        "come later" in each.remedy or "later:" in each.remedy or "nobody may" in each.remedy
        for each in found.counterexamples
    )


def test_signatures_that_run_out_during_a_hold_are_a_story() -> None:
    """If nobody signs anew; once another key set has come they are new ones."""
    runbook = plan("exchanged")
    slots = list(forecast(runbook, {}, runbook.drafted))
    hold = next(slot for slot in slots if slot.step.waits)
    found = rehearse(runbook, {}, runbook.drafted, (), {"alder": hold.first - 60.0})
    stories = [" ".join(each.story) for each in found.counterexamples]
    assert stories and all("keys whose signatures ran out at 1970-01-0" in each for each in stories), stories
    assert all("sign the zone anew" in each.remedy for each in found.counterexamples)
    assert (
        rehearse(runbook, {}, runbook.drafted, (), {"alder": slots[-1].ends + 9e5}).counterexamples[0].at
        > slots[-1].ends
    )
    unsigned = plan("unsigned")
    assert rehearse(
        unsigned, {}, unsigned.drafted, (), {"alder": list(forecast(unsigned, {}, unsigned.drafted))[-1].ends + 9e5}
    ).safe


def test_what_cannot_be_meant_is_refused() -> None:
    with pytest.raises(GateShut, match="cedar does not sign"):
        draw(signed(), "m1", "", [NewProvider(DOMAIN, "alder", "cedar")])
    with pytest.raises(BadInput, match="is connected already"):
        draw(signed(), "m1", "", [Sign()])
    with pytest.raises(GateShut, match="has to be known"):
        draw(signed(), "m1", "", [Exchange("double-ds")])
    with pytest.raises(GateShut, match="signs the zone as well"):
        draw(signed(keys=ONE), "m1", "", [Exchange("double-ds", (NEW,))])
    with pytest.raises(BadInput, match="with algorithm 13 already"):
        draw(signed(), "m1", "", [Exchange(algorithm=13)])
    with pytest.raises(GateShut, match="alder takes no zone keys of others"):
        draw(signed(), "m1", "", [NewProvider(DOMAIN, "alder", "birch", passage="shared-keys")])
    with pytest.raises(GateShut, match=r"run out at 1970-01-02.* \(rule 12\)"):
        draw(signed(signed_until=87000.0), "m1", "", [NewProvider(DOMAIN, "alder", "birch")])
    with pytest.raises(BadInput, match="has no DS"):
        draw(plan_input(), "m1", "", [Unsign()])


class Resolver:
    """Independent of the rehearsal: one that validates, follows the parent alone, and keeps each thing until its TTL is
    over."""

    def __init__(self, playback: Playback, chance: random.Random) -> None:
        self.playback, self.chance = playback, chance
        self.kept: dict[str, tuple[object, float]] = {}

    def have(self, what: str, now: float, given: "tuple[object, int]") -> object:
        held = self.kept.get(what)
        if held is None or held[1] <= now or self.chance.random() < 0.1:  # it may forget anything
            self.kept[what] = held = (given[0], now + given[1])
        return held[0]

    def at(self, track: object, now: float) -> object:
        """One of the values that some server gives at that moment."""
        # type: ignore[attr-defined]
        return self.chance.choice([each.value for each in track.periods if each.begins <= now < each.ends])

    def bogus(self, now: float) -> bool:
        timeline, playback = self.playback.timeline, self.playback
        anchors = self.at(timeline.ds_sets[DOMAIN], now) if DOMAIN in timeline.ds_sets else DsSet()
        anchors = self.have("ds", now, (anchors, anchors.ttl if anchors else 60))  # type: ignore[attr-defined]
        ns = self.at(timeline.rrsets["the parent", playback.premises.parent_zone, DOMAIN, 2], now)
        ns = self.have("ns", now, (ns, ns.ttl if ns is not None else 60))  # type: ignore[attr-defined]
        if ns is None:
            return False  # it is led nowhere
        # type: ignore[attr-defined]
        places = {place.name for place in playback.premises.places if set(place.servers) & set(ns.rdatas)}
        place = min(places)
        keys = self.at(timeline.signed[place, DOMAIN], now)
        known = self.have("keys", now, (keys, keys.ttl if keys else 60))  # type: ignore[attr-defined]
        data = self.have(
            "data", now, (self.at(timeline.signed[place, DOMAIN], now), playback.premises.longest_ttl(DOMAIN))
        )
        if not anchors:
            return False
        if known is None or not anchors.labels & set(known.published) & set(known.entry):  # type: ignore[attr-defined]
            return True
        return data is None or not set(known.published) & set(data.zone)  # type: ignore[attr-defined]


@settings(max_examples=150, deadline=None)
@given(st.sampled_from(sorted(PLANS)), st.data(), st.integers(0, 2**32))
def test_what_is_called_safe_is_never_bogus_by_chance(kind: str, data: st.DataObject, seed: int) -> None:
    """Waits left out here and there: most of those plans are not safe, and those that are called so must be."""
    runbook = plan(kind)
    for step in data.draw(st.lists(st.sampled_from(runbook.steps), max_size=2)):
        runbook = without_waits(runbook, step.id, set(range(20)))
    if rehearse(runbook, {}, runbook.drafted).safe:
        slots = list(forecast(runbook, {}, runbook.drafted))
        playback, chance = build_stage(runbook, slots), random.Random(seed)
        first, last = runbook.drafted - 90000, slots[-1].ends + 90000
        edges = [each + offset for slot in slots for each in (slot.first, slot.ends) for offset in (-1, 0, 1)]
        for _ in range(3):
            resolver = Resolver(playback, chance)
            moments = sorted([*edges, *(chance.uniform(first, last) for _ in range(60))])
            assert not [now for now in moments if resolver.bogus(now)]
