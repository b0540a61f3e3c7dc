"""Move files: what is written is read alike; what a hand did wrong is told."""

from dataclasses import replace
from pathlib import Path

import pytest

from legatum.core.fault import BadInput
from legatum.core.moves.provider import draft
from legatum.core.moves.retreat import draft_retreat
from legatum.core.runbook import forecast
from legatum.views.papers import markdown
from legatum.views.screen import clean
from legatum.work.movefile import read_move, retreat_path, write_move, zone_path
from tests.core.test_provider_move import SEEN, WISH

MOVE = draft(SEEN, WISH)


def test_a_runbook_comes_back_as_it_was(tmp_path: Path) -> None:
    path = tmp_path / "moves" / "kilnandclay.example.move.toml"
    for runbook in (MOVE, draft_retreat(MOVE, {"publish", "apex", "switch", "end"}, 9000.0)):
        write_move(path, runbook)
        read = read_move(path)
        assert read.steps == runbook.steps and read.id == runbook.id and read.drafted == runbook.drafted
        assert {key: read.premises[key] for key in ("old_ns", "parent_ttl", "floor")} == {
            key: runbook.premises[key] for key in ("old_ns", "parent_ttl", "floor")
        }


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
        ('schema = "legatum.move/1"', 'schema = "legatum.move/9"', "schema"),
        ('domain = "kilnandclay.example"', 'domain = "a..b"', "empty label"),
        ("[premises]", "[promises]", "promises"),
        ("rule = 1", "rule = 1\nruel = 2", "ruel"),
        ("drafted = ", "drafted = 7 #", "drafted"),
        ("[[step]]", "[[step", "Expected"),
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
    nasty = replace(MOVE, premises={**MOVE.premises, "old_ns": ["<script>|x*`"]})
    page = markdown(nasty, list(forecast(nasty, {}, 0.0)))
    assert "\\<script\\>\\|x\\*\\`" in page
