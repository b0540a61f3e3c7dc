"""Another checker, with nothing but the document of a rehearsal, comes to the same verdicts and the same stories."""

import random
from typing import Any

import msgspec
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from legatum.core.moves.runbook import Runbook
from legatum.core.rehearsal import Rehearsal, rehearse
from legatum.core.rehearsal.caches import CacheKind
from legatum.core.rehearsal.careless import careless
from legatum.core.rehearsal.verdict import counterexamples
from legatum.views.moves.rehearse import rehearsal_document
from tests.core.moves.drawn import AT, KINDS, MARGIN, plan
from tests.core.moves.test_trust import PLANS as SIGNED
from tests.core.moves.test_trust import plan as signed_plan
from tests.core.rehearsal.caches import first_failure
from tests.core.rehearsal.test_rehearsal import runbooks, shortened
from tests.core.rehearsal.told import told_stages


def told(rehearsal: Rehearsal) -> Any:
    """As it is read from standard output."""
    return msgspec.json.decode(msgspec.json.encode(rehearsal_document(rehearsal, None)))


def stories(stages: Any, since: float) -> set[tuple[str, ...]]:
    return {
        (schedule, str(kind), *each.story, each.remedy)
        for schedule, playback in stages.items()
        for kind in CacheKind
        for each in counterexamples(playback, kind, schedule, since)
    }


def same(runbook: Runbook, seed: int = 0) -> bool:
    """All stories, and what caches with random moments of asking meet; whether there is any."""
    rehearsal = rehearse(runbook, {}, AT)
    stages = told_stages(document := told(rehearsal))
    found = stories(stages, document["ground"]["since"])
    assert found == stories(rehearsal.stages, runbook.drafted) and bool(found) == (not document["safe"])
    for schedule, playback in stages.items():
        for kind in CacheKind:
            one, other = (
                first_failure(each, kind, random.Random(seed), AT, AT + 9000, 90)
                for each in (playback, rehearsal.stages[schedule])
            )
            assert one == other
    return bool(found)


@pytest.mark.parametrize("kind", KINDS)
def test_plans_and_their_careless_ways(kind: str) -> None:
    assert not same(plan(kind)) and same(careless(plan(kind))) == (kind not in ("ttl", "soa", "verify", "mail"))


@pytest.mark.parametrize("kind", SIGNED)
def test_signed_ones_by_labels_of_keys(kind: str) -> None:
    runbook = signed_plan(kind)
    assert not same(runbook)
    same(careless(runbook))


def test_a_switch_that_takes_two_days_counts_until_it_is_proven() -> None:
    document = told(rehearse(shortened(plan("provider"), "confirm", 4, MARGIN + 5), {}, AT))
    assert not document["safe"]
    slow = next(each for each in document["timelines"] if each["schedule"] == "switch takes two days")
    handed = next(each for each in slow["rrsets"] if (each["place"], each["type"]) == ("the parent", "NS"))
    old, new = sorted(handed["periods"], key=lambda each: each["begins"] or 0)
    assert old["ends"] - new["begins"] >= 2 * 86400


@given(runbooks(), st.integers(0, 2**32))
@settings(max_examples=25, deadline=None)
def test_whatever_is_planned_and_cut_short(runbook: Runbook, seed: int) -> None:
    same(runbook, seed)
