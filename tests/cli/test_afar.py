"""Lists shared among workers of a scheduler, and the world seen from viewpoints: the installed program over a practice
world."""

import json
import shutil
import signal
import subprocess
import threading
import time
import tomllib
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

import legatum
from legatum.core.calendar.instant import parse_instant
from legatum.core.records.name import parse_domain
from legatum.core.running.fault import BadInput
from legatum.demo.world_thread import WorldThread
from legatum.net.engine import Hub, security_of
from tests.cli.desk import DOMAIN, Desk
from tests.cli.program import PROGRAM
from tests.workers import Workers

COUNT = 110
STALLS = [f"stall{number:03}.example" for number in range(1, COUNT + 1)]
OTHER = "ferrytimes.example"
VIEWPOINTS = """
[viewpoints.harbour]

[viewpoints.hill]
worker = "upland"
ipv6 = false
"""


@pytest.fixture(scope="module")
def desk(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Desk]:
    with WorldThread(tmp_path_factory.mktemp("world"), further=COUNT) as practice:
        yield Desk(practice)


@pytest.fixture(scope="module")
def workers(tmp_path_factory: pytest.TempPathFactory, desk: Desk) -> Iterator[Workers]:
    found = Workers(tmp_path_factory.mktemp("workers"))
    try:
        place = found.start_scheduler()
        for name in ("harbour", "upland"):
            found.start_worker(name)
        found.wait_for("harbour", "upland")
        with desk.world.settings_file.open("a") as settings:
            settings.write(f'\n[engine]\nscheduler = "{place}"\n{VIEWPOINTS}')
        yield found
    finally:
        found.end()


@pytest.fixture
def listed(tmp_path: Path) -> str:
    (tmp_path / "list.txt").write_text("".join(f"{each}\n" for each in STALLS))
    return str(tmp_path / "list.txt")


def lines(path: Path) -> list[dict[str, Any]]:
    return [json.loads(line) for line in path.read_text().splitlines()]


def told(desk: Desk, *words: str, status: int = 0) -> Any:
    assert desk.run(*words, "--json", "-q") == status, desk.said
    return json.loads(desk.said)


@pytest.mark.timeout(120)
def test_the_same_by_workers_as_here_and_what_they_saw_is_kept(
    desk: Desk, workers: Workers, listed: str, tmp_path: Path
) -> None:
    def without_time(path: Path) -> dict[str, Any]:
        # Which server of the parent is asked first is left to chance, and time goes on between the two.
        left_out = ("milliseconds", "at", "questions", "verdict", "earliest")
        return {
            each["domain"]: {name: value for name, value in each.items() if name not in left_out}
            for each in lines(path)
        }

    for action in (("survey",), ("confirm", "--to", "alder"), ("timetable", "--switch", "2031-03-04 22:00")):
        here, there = tmp_path / f"{action[0]}.here", tmp_path / f"{action[0]}.there"
        short = tmp_path / "short.txt"
        short.write_text(f"{DOMAIN}\n{STALLS[0]}\nnowhere.example\n{OTHER}\n")
        status = desk.run("fleet", action[0], str(short), *action[1:], "--out", str(here), "-q")
        assert desk.run("fleet", action[0], str(short), *action[1:], "--out", str(there), "--engine") == status, (
            desk.said
        )
        assert "the workers look: harbour, upland" in desk.said
        assert without_time(here) == without_time(there) and len(lines(there)) == 4
        earliest = [{each["domain"]: each["earliest"] for each in lines(path)} for path in (here, there)]
        for domain in (DOMAIN, OTHER):
            first, then = (each[domain] and parse_instant(each[domain]) for each in earliest)
            assert (first and then and abs(then - first) < 60) if action[0] == "timetable" else not (first or then)
    kept, out = str(tmp_path / "kept"), tmp_path / "again.jsonl"
    desk.run("fleet", "survey", listed, "--engine", "--evidence", kept, "--out", str(out), "-q")
    desk.run("survey", "--from", kept, "--json")
    judged = {each["domain"]: [one["slug"] for one in each["findings"]] for each in json.loads(desk.said)["surveys"]}
    assert (
        judged == {each["domain"]: [one["slug"] for one in each["findings"]] for each in lines(out)}
        and len(judged) == COUNT
    )
    desk.done("house", "--json", "-q")
    assert {DOMAIN, OTHER} <= {
        each["domain"] for each in json.loads(desk.said)["surveys"]
    }  # seen by workers, kept here


@pytest.mark.timeout(120)
def test_the_inventory_by_workers_is_the_same(desk: Desk, workers: Workers, listed: str) -> None:
    def groups(*words: str) -> dict[str, list[str]]:
        document = told(desk, "inventory", "--list", listed, *words)
        return {each["group"]: [member["domain"] for member in each["members"]] for each in document["groups"]}

    here = groups()
    assert groups("--engine") == here and len(here["served-here"]) > COUNT
    settings = tomllib.loads(desk.settings.read_text())
    assert settings["engine"]["scheduler"] == workers.place
    found = told(desk, "settings", "check", "engine")
    assert [(each["what"], each["state"]) for each in found["checks"]] == [
        ("engine", "works"),
        ("viewpoint", "works"),
        ("viewpoint", "works"),
    ]


@pytest.mark.timeout(240)
def test_a_worker_and_the_scheduler_killed_in_the_middle_cost_no_domain(
    desk: Desk, workers: Workers, listed: str, tmp_path: Path
) -> None:
    out = tmp_path / "out.jsonl"
    words = [
        PROGRAM,
        "fleet",
        "survey",
        listed,
        "--out",
        str(out),
        "--engine",
        "-q",
        "--settings",
        str(desk.world.settings_file),
    ]

    def begun() -> "subprocess.Popen[str]":
        return subprocess.Popen(words, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)

    def until(count: int) -> None:
        given_up = time.monotonic() + 60
        while not out.exists() or len(out.read_bytes().splitlines()) < count:
            assert time.monotonic() < given_up
            time.sleep(0.02)

    def all_of_them(run: "subprocess.Popen[str]") -> None:
        said = run.communicate(timeout=100)
        assert run.returncode == 0, said
        assert sorted(each["domain"] for each in lines(out)) == STALLS

    # One of another program stands by, and marks what it does: nothing of it may come in, whoever is killed.
    source = another_program(tmp_path, "views/fleet/lists.py", "domain=name,", 'domain="x" + name,')
    workers.start_worker("stranger", source=source)
    workers.wait_for("stranger")
    run = begun()
    until(1)
    workers.kill("upland")
    all_of_them(run)
    out.unlink()
    run = begun()
    until(1)
    workers.kill("scheduler")
    workers.start_scheduler()
    all_of_them(run)
    workers.kill("stranger")
    workers.start_worker("upland")
    workers.wait_for("upland")


@pytest.mark.timeout(120)
def test_what_a_slow_worker_has_in_hand_is_done_by_another_and_told_once(
    desk: Desk, workers: Workers, listed: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("legatum.net.engine._SLOW", 3.0)
    out, slow = tmp_path / "out.jsonl", workers.processes["harbour"]
    seen = list[int]()

    def hold_up() -> None:
        given_up = time.monotonic() + 60
        while not out.exists() or not out.read_bytes():
            assert time.monotonic() < given_up
            time.sleep(0.005)
        slow.send_signal(signal.SIGSTOP)
        try:
            while not seen and time.monotonic() < given_up:
                time.sleep(0.05)
                seen.extend([COUNT] * (len(out.read_bytes().splitlines()) == COUNT))
        finally:
            slow.send_signal(signal.SIGCONT)

    holding = threading.Thread(target=hold_up)
    holding.start()
    status = desk.run("fleet", "survey", listed, "--engine", "--out", str(out), "-q", "--rate", "60")
    holding.join()
    assert status == 0 and sorted(each["domain"] for each in lines(out)) == STALLS, desk.said
    assert seen  # all of it, while that one stood still
    monkeypatch.setattr("legatum.net.engine._TIMEOUT", 2.0)
    (tmp_path / "few.txt").write_text(f"{DOMAIN}\n{OTHER}\n")
    slow.send_signal(signal.SIGSTOP)
    try:
        desk.done("fleet", "survey", str(tmp_path / "few.txt"), "--engine")
    finally:
        slow.send_signal(signal.SIGCONT)
    assert "harbour is left out: it has not answered for 2 s" in desk.said


def another_program(folder: Path, file: str, old: str, new: str) -> Path:
    """The folder of a copy of this program with something else in one of its files."""
    source = folder / "source"
    shutil.copytree(Path(legatum.__file__).parent, source / "legatum", ignore=shutil.ignore_patterns("__pycache__"))
    text = (source / "legatum" / file).read_text()
    assert old in text
    (source / "legatum" / file).write_text(text.replace(old, new))
    return source


def test_who_sees_what_from_where(desk: Desk, workers: Workers, tmp_path: Path) -> None:
    evidence = tmp_path / "kept"
    found = told(desk, "survey", OTHER, "--from-everywhere", "--evidence", str(evidence))
    assert [each["place"] for each in found["everywhere"]["places"]] == ["here", "harbour", "hill"] and found[
        "everywhere"
    ]["good"]
    assert found["everywhere"]["differences"] == [] and "how it looks from other networks" not in found["not_looked_at"]
    again = told(desk, "survey", "--from", str(evidence))["surveys"]
    assert [each["viewpoint"] for each in again] == ["", "harbour", "hill"]
    assert [len(each["servers"]) for each in again] == [4, 4, 2] and len({each["verdict"][:30] for each in again}) == 1
    assert told(desk, "confirm", OTHER, "--from-viewpoint", "hill")["everywhere"]["good"]
    seen = told(desk, "visit", OTHER, "--from-viewpoint", "harbour")
    assert seen["good"] and len(seen["everywhere"]["places"]) == 2 and seen["everywhere"]["differences"] == []
    compared = told(
        desk, "compare", "alder", "birch", "--domain", "lanternlane.example", "--answers", "--from-everywhere"
    )
    assert compared["everywhere"]["good"] and len(compared["everywhere"]["places"]) == 3
    assert desk.run("watch", OTHER, "--to", "alder", "--since", "30d", "--from-everywhere", "--json", "-q") == 0, (
        desk.said
    )
    last = json.loads(desk.said.splitlines()[-1])
    assert {each["who"].partition(" from ")[2] for each in last["told"]} == {"", "harbour", "hill"}
    assert desk.run("survey", OTHER, "--from-viewpoint", "moon") == 2 and "there are harbour, hill" in desk.said
    assert (
        desk.run("compare", "alder", "birch", "--domain", OTHER, "--from-everywhere") == 2 and "--answers" in desk.said
    )


@pytest.mark.timeout(120)
def test_a_move_is_proven_from_there_too_where_the_settings_want_that(
    desk: Desk, workers: Workers, tmp_path: Path
) -> None:
    settings = tmp_path / "proving.toml"
    folder = desk.world.folder
    text = desk.world.settings_file.read_text().replace('"file:', f'"file:{folder}/')
    text = text.replace("[viewpoints.hill]", "[viewpoints.hill]\nproves = true")
    for name in ("authority.pem", "rdap-bootstrap.json"):
        text = text.replace(f'"{name}"', f'"{folder}/{name}"')
    settings.write_text(text)
    there = Desk(desk.practice)
    there.settings = settings
    wish = ("move", "draft", STALLS[0], "--to", "birch", "--registrar", "flint", "--publishing", "4m")
    there.done(*wish)
    there.done("move", "advance", STALLS[0], "--yes", "--wait", "--until", "parents")
    workers.kill("upland")
    assert there.run("move", "advance", STALLS[0], "--yes", "--wait") == 4, there.said
    assert "not known from hill" in there.said and "no worker called upland" in there.said
    workers.start_worker("upland")
    workers.wait_for("upland")
    there.done("move", "advance", STALLS[0], "--yes", "--wait")
    assert "so it is from hill" in there.said
    assert desk.world.registry.known(parse_domain(STALLS[0])) is not None


def test_no_scheduler_another_one_and_one_that_is_plain(
    desk: Desk, workers: Workers, listed: str, tmp_path: Path
) -> None:
    def said(*words: str, status: int) -> str:
        assert desk.run(*words) == status, desk.said
        return desk.said

    assert "a plain connection that leaves this machine" in said(
        "fleet", "survey", listed, "--engine", "tcp://192.0.2.1:8786", status=2
    )
    assert "is no scheduler" in said("fleet", "survey", listed, "--engine", "here", status=2)
    assert "needs authority and certificate and key" in said(
        "fleet", "survey", listed, "--engine", "tls://127.0.0.1:8786", status=2
    )
    assert "the engine has workers of its own" in said("fleet", "survey", listed, "--engine", "--jobs", "2", status=2)
    assert "no scheduler at tcp://127.0.0.1:1: " in said(
        "fleet", "survey", listed, "--engine", "tcp://127.0.0.1:1", status=3
    )
    older = Workers(tmp_path)
    try:
        place = older.start_scheduler(version="2020.2.0")
        text = said("fleet", "survey", listed, "--engine", place, status=3)
    finally:
        older.end()
    assert "speaks version 2020.2.0 of the library" in text and "install the same version" in text
    with pytest.raises(BadInput, match="a plain connection"):
        security_of(Hub("tcp://198.51.100.1:1"))


@pytest.mark.timeout(120)
def test_a_worker_whose_clock_is_wrong_and_one_of_another_program(
    desk: Desk, workers: Workers, listed: str, tmp_path: Path
) -> None:
    source = another_program(tmp_path, "__init__.py", "__version__", "# another state of it\n__version__")
    for name in ("harbour", "upland"):
        workers.kill(name)
    workers.start_worker_by_another_clock("harbour", 37.0)
    workers.start_worker("upland", source=source)
    workers.wait_for("harbour", "upland")
    evidence = tmp_path / "kept"
    found = told(desk, "survey", OTHER, "--from-everywhere", "--evidence", str(evidence), status=1)["everywhere"]
    places = {each["place"]: each for each in found["places"]}
    assert places["harbour"]["good"] and "37 s ahead of this one's" in places["harbour"]["doubts"]
    assert (
        places["hill"]["good"] is None
        and "its program's files are others" in places["hill"]["verdict"]
        and not found["good"]
    )
    again = told(desk, "survey", "--from", str(evidence))["surveys"]
    assert [(each["viewpoint"], "37 s ahead" in each["doubts"]) for each in again] == [("", False), ("harbour", True)]
    assert desk.run("fleet", "survey", listed, "--engine") == 3
    assert (
        "harbour is left out: its clock" in desk.said
        and "upland is left out: its program" in desk.said
        and "no worker to share" in desk.said
    )
