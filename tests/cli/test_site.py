"""A name that leads to a site elsewhere, and a text by which somebody sees whose domain it is, in the practice world."""

import json
from collections.abc import Iterator
from pathlib import Path

import pytest

from legatum.demo.world_thread import WorldThread
from tests.cli.desk import Desk

DOMAIN, SITE = "kilnandclay.example", "www.tidemill.example"
MOVED = "followed-addresses-moved"


@pytest.fixture
def desk(tmp_path: Path) -> Iterator[Desk]:
    with WorldThread(tmp_path / "world") as practice:
        yield Desk(practice)


def carried_out(desk: Desk, *wish: str) -> None:
    desk.done("move", "draft", DOMAIN, *wish, "--force")
    desk.done("move", "advance", DOMAIN, "--yes", "--wait")


def findings(desk: Desk) -> set[str]:
    desk.run("survey", DOMAIN, "--json", "-q")
    return {each["slug"] for each in json.loads(desk.said)["findings"]}


def test_surveys_look_after_addresses_that_are_somebody_elses(desk: Desk) -> None:
    carried_out(desk, "--alias", f"@={SITE}")
    assert MOVED not in findings(desk)
    desk.done("amend", "tidemill.example", "www", "A", "198.51.100.50", "--yes", "--at", "alder")
    assert MOVED in findings(desk)
    carried_out(desk, "--alias", f"{DOMAIN}={SITE}.")
    assert MOVED not in findings(desk)
    assert desk.run("move", "draft", DOMAIN, "--alias", f"@={SITE}") == 2 and "already" in desk.said
    desk.done("amend", "tidemill.example", "www", "A", "198.51.100.98", "--yes", "--at", "alder")
    assert MOVED in findings(desk)
    desk.done("move", "retreat", DOMAIN, "--yes", "--wait")  # to the addresses of the time before, which nobody follows
    assert MOVED not in findings(desk)


@pytest.mark.parametrize(
    ("wish", "says"),
    [
        ("www=nowhere.tidemill.example", "it has no address"),
        ("www=www", "cannot lead to itself"),
        ("www", "--alias NAME=TARGET"),
    ],
)
def test_what_leads_nowhere_is_refused(desk: Desk, wish: str, says: str) -> None:
    assert desk.run("move", "draft", DOMAIN, "--alias", wish) in (2, 3) and says in desk.said and "Traceback" not in desk.said


def test_a_verification_record_stands_beside_what_is_there_for_its_time(desk: Desk, tmp_path: Path) -> None:
    wish = ("--verify", "TXT site-check=4f1c", "--verify", '_check TXT "two words"', "--verify-for", "2h")
    desk.done("move", "draft", DOMAIN, *wish)
    desk.done("move", "advance", DOMAIN, "--yes")
    desk.done("gather", DOMAIN, "--from", "alder", "--out", str(tmp_path / "now.zone"))
    texts = (tmp_path / "now.zone").read_text()
    assert '"site-check=4f1c"' in texts and "v=spf1" in texts and "two words" in texts
    assert desk.run("move", "draft", DOMAIN, *wish, "--force") == 2 and "there already" in desk.said
    desk.done("move", "advance", DOMAIN, "--yes", "--wait")
    desk.done("gather", DOMAIN, "--from", "alder", "--out", str(tmp_path / "after.zone"))
    after = (tmp_path / "after.zone").read_text()
    assert 'site-check=4f1c"' not in after and "two words" not in after and "v=spf1" in after
    assert desk.run("move", "draft", DOMAIN, "--verify", "site-check") == 2 and "--verify 'TXT text'" in desk.said
