"""Move files: what is written is read alike; what a hand did wrong is told."""

from dataclasses import replace
from pathlib import Path

import pytest

from legatum.core.moves.plain import plain, runbook_from
from legatum.core.moves.retreat import Begun, draft_retreat
from legatum.core.moves.runbook import forecast
from legatum.core.running.fault import BadInput
from legatum.views.look.schedule import markdown
from legatum.views.screen import clean
from legatum.work.movefile import read_move, retreat_path, write_move, zone_path
from tests.core.moves.drawn import AT, KINDS, plan, plan_input

MOVE = plan("provider")


@pytest.mark.parametrize("kind", KINDS)
def test_a_runbook_comes_back_as_it_was(tmp_path: Path, kind: str) -> None:
    path = tmp_path / "moves" / "kilnandclay.example.move.toml"
    move = plan(kind, plan_input(follows=("cedar",) if kind == "soa" else ()))
    begun = {
        slot.step.id: Begun(slot.first, slot.ends if slot.step is not move.steps[-1] else None)
        for slot in forecast(move, {}, AT)
    }
    for runbook in (move, draft_retreat(move, begun, AT + 9000.0)):
        write_move(path, runbook)
        assert read_move(path) == runbook == runbook_from(plain(runbook))


def test_what_stands_beside_a_move() -> None:
    path = Path("moves/kilnandclay.example.move.toml")
    assert zone_path(path) == zone_path(retreat_path(path)) == Path("moves/kilnandclay.example.zone")
    assert retreat_path(path) == Path("moves/kilnandclay.example.retreat.toml")


@pytest.mark.parametrize(
    ("old", "new", "says"),
    [
        ("margin = 30", 'margin = "much"', "margin"),
        ('id = "switch"', 'id = "apex"', "stands twice"),
        ('after = "parents"', 'after = "end"', "which is no earlier step"),
        ('schema = "legatum.move/2"', 'schema = "legatum.move/9"', "schema"),
        ('schema = "legatum.move/2"', 'schema = "legatum.move/1"', "an earlier version"),
        ('domain = "kilnandclay.example."', 'domain = "a..b"', "empty label"),
        ('kind = "delegated"', 'kind = "dedelegated"', "no kind 'dedelegated'"),
        (
            '"kilnandclay.example. 86400 NS ns1.alder.test.",',
            '"kilnandclay.example. NS ns1.alder.test.",',
            "not NAME TTL TYPE DATA",
        ),
        ("[premises]", "[promises]", "promises"),
        ("rule = 1", "rule = 1\nruel = 2", "ruel"),
        ("drafted = ", "drafted = 7 #", "drafted"),
        ("drafted = ", "drafted = 1796014260782.0 #", "no instant"),
        ("drafted = ", 'drafted = "9999-12-31T23:59:59Z" #', "no instant"),
        ("margin = 30", "margin = -30", "out of range"),
        ("[[steps]]", "[[steps", "Expected"),
    ],
)
def test_mistakes_of_a_hand_are_told(tmp_path: Path, old: str, new: str, says: str) -> None:
    path = tmp_path / "m.move.toml"
    write_move(path, MOVE)
    text = path.read_text()
    assert old in text
    path.write_text(text.replace(old, new, 1))
    with pytest.raises(BadInput) as seen:
        read_move(path)
    assert says in seen.value.message


def test_nothing_from_outside_steers_a_terminal_or_a_page() -> None:
    assert clean("a\x1b[31mb\x07\x9bc\u202ed") == "a\\027[31mb\\007\\155c\\8238d"
    nasty = replace(MOVE, wish="<script>|x*`")
    page = markdown(nasty, list(forecast(nasty, {}, 0.0)))
    assert "\\<script\\>\\|x\\*\\`" in page
