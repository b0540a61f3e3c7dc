"""A rehearsal for somebody in a hurry: what one thing mends is told once, with the latest of its instants."""

import io
from types import SimpleNamespace

import pytest

from legatum.views.moves.rehearse import CounterexamplePart, show_rehearsal
from legatum.views.screen import Screen

REMEDIES = (
    "let the step 'end' begin 58 min 19 s later: nobody asks ns1.alder.test any more from 2031-03-04T18:17:50Z on",
    "nobody may be led to sorrel before 2031-03-04T12:00:00Z, when nobody holds those keys",
    "let the step 'end' begin 3 h later: nobody asks ns1.alder.test any more from 2031-03-06T18:17:50Z on",
    "nobody may be led to rowan before 2031-03-04T12:00:00Z, when nobody holds those keys",
)


@pytest.mark.parametrize(("whole", "told"), [(False, [2, 1, 3]), (True, [0, 1, 2, 3])])
def test_of_counterexamples_with_one_remedy_the_latest_is_told(whole: bool, told: list[int]) -> None:
    examples = [
        CounterexamplePart(caches=["sticky"], schedule="as estimated", at="2031-03-04T10:00:00Z", story=[], remedy=each)
        for each in REMEDIES
    ]
    document = SimpleNamespace(
        domain="kilnandclay.example", safe=False, counterexamples=examples, uncovered=[], population=[],
        model=["Kinds of cache: three"], floor=300, lag=4, copies_followed=9,
    )  # fmt: skip
    out = io.StringIO()
    show_rehearsal(document, Screen(out), whole)  # type: ignore[arg-type]
    lines = out.getvalue().splitlines()
    shown = [each.replace("T", " ").replace("Z", " UTC") for each in REMEDIES]
    assert "4 ways in which visitors would fail" in lines[0] and lines[1] == f"Next: {shown[2]}"
    assert [line.strip() for line in lines if "Remedy: " in line] == [f"Remedy: {shown[each]}" for each in told]
    assert ("Kinds of cache" in out.getvalue()) is whole
