"""Every move of the house at one look: the installed program over a practice world, with moves in several states and a
broken file."""

import json
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from icalendar import Calendar
from prometheus_client.openmetrics.parser import text_string_to_metric_families

from legatum.demo.world_thread import WorldThread
from tests.cli.desk import DOMAIN, Desk

OTHER = "ferrytimes.example"


@pytest.fixture
def desk(tmp_path: Path) -> Iterator[Desk]:
    with WorldThread(tmp_path / "world") as practice:
        yield Desk(practice)


def told(desk: Desk, *words: str, status: int = 0) -> Any:
    assert desk.run("house", *words, "--json", "-q") == status, desk.said
    return json.loads(desk.said)


def states(document: Any) -> dict[str, str]:
    return {each["domain"]: each["state"] for each in document["moves"]}


def test_the_moves_of_the_house(desk: Desk, tmp_path: Path) -> None:
    assert told(desk)["moves"] == []
    desk.done("survey", DOMAIN)
    desk.done("move", "draft", DOMAIN, "--to", "birch", "--registrar", "flint", "--publishing", "4m")
    desk.done("move", "draft", OTHER, "--ttl", "www A=60", "--publishing", "4m")
    assert states(told(desk)) == {DOMAIN: "drafted", OTHER: "drafted"}
    desk.done("move", "advance", DOMAIN, "--yes")  # until the hold before the switch
    found = told(desk)
    first = found["moves"][0]
    assert (first["domain"], first["state"], first["not_before"] is not None) == (DOMAIN, "holds", True)
    assert 0 < first["done"] < first["steps"] and first["because"] and first["who"] and DOMAIN in found["today"]
    assert [each["domain"] for each in found["surveys"]] == [DOMAIN]
    assert found == {**told(desk), "at": found["at"]}  # what is kept is what is worked out

    pages, calendar, metrics = tmp_path / "pages", tmp_path / "house.ics", tmp_path / "house.prom"
    desk.done("house", "--html", str(pages), "--calendar", str(calendar), "--metrics", str(metrics))
    assert {each.name for each in pages.iterdir()} == {"index.html", f"{DOMAIN}.html", f"{OTHER}.html"}
    assert f'href="{DOMAIN}.html"' in (pages / "index.html").read_text()
    own = (pages / f"{DOMAIN}.html").read_text()
    assert first["title"] in own and "not before" in own and "Publish" in own
    events = Calendar.from_ical(calendar.read_text()).walk("VEVENT")
    assert [str(each["summary"]) for each in events] == [
        f"{DOMAIN}: {first['title']}"
    ]  # a draft is nobody's appointment
    families = {each.name: each for each in text_string_to_metric_families(metrics.read_text())}
    counted = {each.labels["state"]: each.value for each in families["legatum_moves"].samples}
    assert counted["holds"] == counted["drafted"] == 1 and counted["complete"] == 0
    assert {each.labels["domain"] for each in families["legatum_hold_ends_timestamp_seconds"].samples} == {DOMAIN}
    assert families["legatum_survey_age_seconds"].samples[0].value >= 0

    file = desk.world.settings_file.parent / "moves" / "torn.move.toml"
    file.write_text("[move]\n")
    torn = told(desk, status=1)
    assert list(torn["broken"]) == ["torn.move.toml"] and len(torn["moves"]) == 2
    assert desk.run("house", "--html", str(calendar)) == 2 and "give a folder" in desk.said
    file.unlink()

    desk.done("move", "advance", DOMAIN, "--yes", "--wait")
    over = told(desk)
    assert states(over) == {OTHER: "drafted"} and over["counts"] == {"complete": 1, "drafted": 1}
    assert states(told(desk, "--all")) == {OTHER: "drafted", DOMAIN: "complete"}


def test_what_mends_a_stopped_move_comes_before_going_on_with_it(desk: Desk) -> None:
    desk.done(
        "move", "draft", DOMAIN, "--to", "birch", "--registrar", "flint", "--publishing", "4m", "--speed", "at-once"
    )
    desk.done("registration", "lock", DOMAIN, "--registrar", "flint", "--yes")
    assert desk.run("move", "advance", DOMAIN, "--yes", "--wait") == 4
    desk.run("house")
    unlock, _, after = desk.said.partition("`legatum registration unlock")
    assert unlock.endswith(f"Next: {DOMAIN}: unlock it first: ") and f"; then `legatum move advance {DOMAIN}`" in after
