"""``legatum demo`` from beginning to end, and the small commands."""

import json
import re
from pathlib import Path

import pytest

from legatum.demo.kinds import LEADING_NOWHERE, ONE_WAY, WISHES
from tests.cli.program import Shell


def test_the_demo_goes_all_the_way(tmp_path: Path) -> None:
    ended = Shell(tmp_path).run("demo", "--folder", "kept", "--json")
    assert ended.status == 0 and "Task was destroyed" not in ended.err, ended.err[-2000:]
    report = ended.document
    assert report["schema"] == "legatum.demo/1" and report["failures"] == 0 and report["visits"] > 2000
    assert {part["kind"] for part in report["visitors"]} == {"parent-trusting", "child-trusting", "sticky"}
    assert all(len(part["answers"]) == 1 for part in report["visitors"])
    assert set(report["periods"][0]["answered_by"]) == {"alder"} and set(report["periods"][-1]["answered_by"]) == {
        "birch"
    }
    kept = tmp_path / "kept"
    rows = [json.loads(line) for line in (kept / "questions.ndjson").read_text().splitlines()]
    assert len(rows) > 2000 and {"at", "server", "name", "type", "outcome"} <= set(rows[0])
    assert re.search(r"confirmed\. All \d\d checks agree", (kept / "tour.txt").read_text())
    assert (kept / "journal.sqlite").exists() and (kept / "moves" / "kilnandclay.example.move.toml").exists()
    for secret in kept.glob("*.secret"):
        assert secret.stat().st_mode & 0o077 == 0
        text = secret.read_text().strip()
        for file in [*kept.glob("*.txt"), *kept.glob("*.toml"), *kept.glob("moves/*"), *kept.glob("*.sqlite")]:
            assert text.encode() not in file.read_bytes()


@pytest.mark.parametrize("kind", WISHES)
def test_each_kind_goes_there_and_back_and_no_visitor_notices(tmp_path: Path, kind: str) -> None:
    ended = Shell(tmp_path).run("demo", "--kind", kind, "--folder", "kept")
    assert ended.status == 0, ended.out[-1500:] + ended.err[-1500:]
    assert (
        "safe under this model" in ended.out
        and "every step is taken back" in ended.out
        and " 0 of them failed" in ended.out
    )
    assert ("population" in ended.out) == (kind not in LEADING_NOWHERE)


@pytest.mark.parametrize("kind", ONE_WAY)
def test_kinds_from_which_there_is_no_way_back(tmp_path: Path, kind: str) -> None:
    ended = Shell(tmp_path).run("demo", "--kind", kind, "--folder", "kept")
    assert ended.status == 0 and " 0 of them failed" in ended.out, ended.out[-1500:] + ended.err[-1500:]


def test_small_commands(tmp_path: Path) -> None:
    shell = Shell(tmp_path)
    assert shell.run("--version").out.startswith("legatum ")
    explained = shell.run("explain", "server-silent", "--json").document
    assert explained["severity"] == "error" and explained["standard"].startswith("RFC")
    assert "what to do" in shell.run("explain", "www-missing").out
    listed = shell.run("explain", "--json").document
    assert len(listed["findings"]) >= 25
    assert shell.run().status == 0 and "survey" in shell.run().out
