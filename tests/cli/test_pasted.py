"""Rows that a customer pasted into a mail become her zone: checked, held against what is served, and published."""

import json
from collections.abc import Iterator
from pathlib import Path

import pytest

from legatum.demo.world_thread import WorldThread
from tests.cli.desk import DOMAIN, Desk
from tests.cli.program import Shell

TABLE = """Type\tHost\tValue\tPrio\tTTL
A\t@\t198.51.100.80\t\t1 hour
CNAME\twww\tkilnandclay.example\t\t1 hour
MX\t@\tmail.kilnandclay.example\t10\t1 hour
A\tmail\t203.0.113.25\t\tAuto
"""


@pytest.fixture(scope="module")
def desk(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Desk]:
    with WorldThread(tmp_path_factory.mktemp("pasted") / "world") as practice:
        yield Desk(practice)


def test_checked_from_standard_input_each_row_beside_what_was_understood(tmp_path: Path) -> None:
    shell = Shell(tmp_path)
    shown = shell.run("lint", "-", "--domain", DOMAIN, typed=TABLE + "NS\tpreview\tns1.other.example\t\t1 hour\n")
    assert "CNAME www kilnandclay.example  1 hour" in shown.out and "www 3600 CNAME kilnandclay.example." in shown.out
    assert (
        "line 6: ns1.other.example has no final dot: taken as the whole name" in shown.out
        and "line 5: TTL Auto: 3600 taken" in shown.out
    )
    document = json.loads(shell.run("lint", "-", "--domain", DOMAIN, "--json", typed=TABLE).out)
    assert [each["line"] for each in document["pasted"]["rows"]] == [2, 3, 4, 5] and not document["slips"]
    assert not {"apex-without-ns", "ns-leads-nowhere"} & {each["slug"] for each in document["findings"]}
    refused = shell.run("lint", "-", typed=TABLE)
    assert refused.status == 2 and "which zone is this?" in refused.err
    assert shell.run("lint", "-", "--domain", DOMAIN, typed="Dear all,\nmove it.\n").status == 2


def test_a_row_of_which_nothing_can_be_made_is_told_and_stops_whatever_changes_something(desk: Desk) -> None:
    file = desk.world.folder / "cut.txt"
    file.write_text(TABLE + "TXT\twinter._domainkey\tv=DKIM1; p=MIGf…\t\tAuto\n")
    assert desk.run("lint", str(file), "--domain", DOMAIN) == 1
    assert f"{file}:6:1: its value was cut short" in desk.said
    for words in (
        ("publish", DOMAIN, "--from", str(file), "--to", "birch", "--yes"),
        ("compare", str(file), "alder", "--domain", DOMAIN),
    ):
        assert desk.run(*words) == 2 and f"{file}:6: its value was cut short" in desk.said, desk.said


def test_held_against_what_is_served(desk: Desk) -> None:
    file = desk.world.folder / "rows.txt"
    file.write_text(TABLE.replace("198.51.100.80", "198.51.100.81"))
    assert desk.run("compare", "alder", str(file), "--domain", DOMAIN, "--json") == 1
    found = json.loads(desk.said)
    differ = {(each["name"], each["type"]): each["kind"] for each in found["differences"]}
    assert (
        (DOMAIN, "A") in differ and (DOMAIN, "SOA") not in differ and (DOMAIN, "NS") not in differ
    )  # which no form shows


def test_published_after_every_row_was_shown(desk: Desk) -> None:
    file = desk.world.folder / "new.txt"
    file.write_text(TABLE)
    desk.done("publish", "tidemill.example", "--from", str(file), "--to", "alder", "--remove", "--dry-run", "--anyway")
    assert (
        "line 3: CNAME www kilnandclay.example  1 hour → www 3600 CNAME" in desk.said
        and "nothing was touched" in desk.said
    )
    desk.done("publish", "evensong.example", "--from", str(file), "--to", "birch", "--yes")
    desk.done("gather", "evensong.example", "--from", "birch", "--out", str(desk.world.folder / "evensong.zone"))
    text = (desk.world.folder / "evensong.zone").read_text()
    assert "ns1.birch.example." in text and "203.0.113.25" in text and "mail.kilnandclay.example." in text
    desk.run("publish", "evensong.example", "--from", str(file), "--to", "birch", "--yes")
    assert "nothing to change" in desk.said or "already" in desk.said, desk.said
