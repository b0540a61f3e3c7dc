"""A list of domains moved in waves: the installed program over a practice world, with trouble, pauses, kills and second
thoughts."""

import asyncio
import json
import re
import signal
import subprocess
import time
from collections import Counter
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest

from legatum.core.records.name import Name, name_text, parse_domain
from legatum.core.records.rrtype import A
from legatum.demo.world_thread import WorldThread
from legatum.work.fleet.carrying import Turns
from tests.cli.desk import Desk
from tests.cli.program import PROGRAM

STALLS = [f"stall{number:03}.example" for number in range(1, 8)]


@pytest.fixture
def desk(tmp_path: Path) -> Iterator[Desk]:
    with WorldThread(tmp_path / "world", further=len(STALLS)) as practice:
        yield Desk(practice)


def listed(folder: Path, *lines: str) -> str:
    path = folder / "leaving.csv"
    path.write_text("".join(f"{line}\n" for line in lines))
    return str(path)


def told(desk: Desk, *words: str, status: int = 0) -> Any:
    """The last document of a fleet move; lines of single domains before it are kept in ``desk.said``."""
    assert desk.run("fleet", "move", *words, "--json", "-q") == status, desk.said
    return json.loads(desk.said.splitlines()[-1])


def states(document: Any) -> list[dict[str, int]]:
    return [each["states"] for each in document["waves"]]


def delegations(desk: Desk) -> dict[str, tuple[Name, ...]]:
    """What the registry holds."""
    held = {each: desk.world.registry.known(parse_domain(each)) for each in STALLS}
    return {each: tuple(found.nameservers) for each, found in held.items() if found is not None}


def counted(desk: Desk) -> Counter[str]:
    """How often the registry was told to change each domain, from now on."""
    updates, update = Counter[str](), desk.world.registry.domains.update

    def counting(registrar: str, domain: Name, change: Any) -> Any:
        updates[name_text(domain)] += 1
        return update(registrar, domain, change)

    desk.world.registry.domains.update = counting  # type: ignore[method-assign]
    return updates


@pytest.mark.timeout(120)
def test_a_table_of_domains_goes_in_waves_and_each_customer_is_told(desk: Desk, tmp_path: Path) -> None:
    first, second, third, fourth, fifth = STALLS[:5]
    table = listed(
        tmp_path,
        "Domain;Customer;Provider;Address;Plan;Template",
        f"{first};Market & Sons;birch;;big",
        f"{second};;;203.0.113.98;;house",
        f"{second.upper()}.;;;203.0.113.98;;house",
        f"{third};Market & Sons;birch;203.0.113.99;",
        f"{fourth};Fair;;;small",
        f"{fifth};Fair;alder;;",
    )
    templates = desk.world.folder / "templates"
    templates.mkdir()
    (templates / "house.toml").write_text('[records]\n"@" = { A = "{address}" }\n')
    before = delegations(desk)
    wish = (table, "--to", "birch", "--waves", "1,2,rest", "--anyway")
    shown = told(desk, *wish, "--dry-run")
    assert shown["shown"] and states(shown) == [{"not begun": 1}, {"not begun": 2}, {"not begun": 1, "complete": 1}], (
        desk.said
    )
    assert shown["unused"] == ["plan"] and shown["attention"] == []
    assert delegations(desk) == before and not (desk.world.folder / "moves").exists()

    desk.practice.visit([(parse_domain(each), A) for each in (first, second, third, fourth)], 120.0)
    updates = counted(desk)
    first_run = told(desk, *wish, "--yes", "--stop-at", "2")  # until the first hold
    assert states(first_run) == [{"holds": 1}, {"not begun": 2}, {"not begun": 2}] and first_run["next_at"]
    assert (
        desk.run("fleet", "move", *wish, "--yes") == 2
        and "--resume" in desk.said
        and "0 of 5 domains complete" in desk.said
    )
    assert desk.run("fleet", "move", table, "--to", "rowan", "--resume") == 2 and "another wish" in desk.said
    over = told(desk, table, "--resume", "--wait", "--yes", "--notes", str(tmp_path / "notes"))
    lines = [json.loads(line) for line in desk.said.splitlines()[:-1]]
    assert states(over) == [{"complete": 1}, {"complete": 2}, {"complete": 2}]  # the fifth was where it should be
    begun = [each["wave"] for each in lines if each["state"] == "complete"]
    assert begun == sorted(begun)  # wave after wave
    assert {each["customer"]: each["states"] for each in over["customers"]} == {
        "Market & Sons": {"complete": 2}, "": {"complete": 1}, "Fair": {"complete": 2},
    }  # fmt: skip
    assert updates == dict.fromkeys((first, second, third, fourth), 1) and not desk.failures
    for each, last in ((second, 98), (third, 99)):  # one by a template, one by an address of its own
        zone = desk.world.hostings["birch"][0].zone(parse_domain(each))
        assert zone is not None and (found := zone.get(parse_domain(each), A)) is not None
        assert found.rdatas == (bytes([203, 0, 113, last]),)
    pages = {str(each.relative_to(tmp_path / "notes")) for each in (tmp_path / "notes").rglob("*.html")}
    assert pages == {f"Market-Sons/{first}.html", f"Market-Sons/{third}.html", f"{second}.html", f"Fair/{fourth}.html"}
    again = told(desk, table, "--resume", "--yes")
    assert states(again) == states(over) and updates.total() == 4


@pytest.mark.timeout(120)
def test_where_every_second_domain_fails_the_wave_stops_and_can_be_taken_back(desk: Desk, tmp_path: Path) -> None:
    table, before = listed(tmp_path, *STALLS[:4]), delegations(desk)
    domains, update = desk.world.registry.domains, desk.world.registry.domains.update

    def failing(registrar: str, domain: Name, change: Any) -> Any:
        assert STALLS.index(name_text(domain)) % 2 == 0, "refused"
        return update(registrar, domain, change)

    domains.update = failing  # type: ignore[method-assign]
    wish = (table, "--to", "birch", "--waves", "rest", "--wait", "--yes")
    stopped = told(desk, *wish, "--stop-at", "34%", status=3)
    (found,) = states(stopped)
    assert stopped["stopped"] == "2 of 4 in trouble" and found["in trouble"] == 2, desk.said
    assert all(each["because"] and each["remedy"] for each in stopped["attention"])
    assert {each["domain"] for each in stopped["attention"]} == set(STALLS[1:4:2])
    tolerated = told(desk, table, "--resume", "--stop-at", "5", "--wait", "--yes", "--leave-out", STALLS[1], status=3)
    assert states(tolerated) == [{"complete": 2, "in trouble": 1, "left out": 1}] and not tolerated["stopped"]
    assert desk.run("fleet", "move", table, "--take-back", "2", "--yes") == 2 and "no wave 2" in desk.said
    domains.update = update  # type: ignore[method-assign]
    back = told(desk, table, "--take-back", "1", "--wait", "--yes")
    assert states(back) == [{"taken back": 3, "left out": 1}] and delegations(desk) == before
    desk.done("move", "draft", STALLS[0], "--ttl", "mail A=60")  # somebody else's
    desk.done("move", "advance", STALLS[0], "--yes")
    assert (
        "another move than this one's"
        in told(desk, table, "--take-back", "1", "--yes", status=4)["attention"][0]["because"]
    )
    desk.done("move", "advance", STALLS[0], "--yes", "--wait")
    once_more = told(desk, table, "--resume", "--wait", "--yes")
    assert states(once_more) == [{"complete": 3, "left out": 1}]


@pytest.mark.timeout(120)
def test_paused_and_killed_and_two_at_once_nothing_is_done_twice(desk: Desk, tmp_path: Path) -> None:
    table, updates = listed(tmp_path, *STALLS), counted(desk)
    settings = ("--settings", str(desk.world.settings_file))
    words = [PROGRAM, "fleet", "move", table, "--wait", "--yes", "-q", "--json", *settings]

    def begun(*more: str) -> subprocess.Popen[str]:
        return subprocess.Popen([*words, *more], stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)

    def until(seen: Callable[[], bool]) -> None:
        given_up = time.monotonic() + 60
        while not seen():
            assert time.monotonic() < given_up
            time.sleep(0.02)

    one = begun("--to", "birch", "--waves", "1,3,rest")
    until(lambda: updates.total() >= 2)  # in the middle of the second wave
    assert told(desk, table, "--pause")["stopped"] == "it was paused"
    out, err = one.communicate(timeout=60)
    paused = json.loads(out.splitlines()[-1])
    assert one.returncode == 0 and paused["stopped"] == "it was paused" and len(updates) < len(STALLS), err
    assert states(paused)[2] == {"not begun": 3}
    one = begun("--resume")
    until(lambda: updates.total() >= 5)
    one.send_signal(signal.SIGKILL)
    one.communicate()
    several = [begun("--resume") for _ in range(2)]
    for each in several:
        out, err = each.communicate(timeout=100)
        assert each.returncode == 0, out + err
    over = told(desk, table, "--resume", "--wait", "--yes")
    assert states(over) == [{"complete": 1}, {"complete": 3}, {"complete": 3}]
    assert updates == dict.fromkeys(STALLS, 1)


def test_what_has_no_move_is_known_to_whoever_looks_next(desk: Desk, tmp_path: Path) -> None:
    """A domain for which none can be drawn, and one that is as wished already, are known without running anything
    again."""
    nobody = "nobody.example"
    table = listed(tmp_path, nobody, "evensong.test", *STALLS[:2])
    run = told(desk, table, "--to", "birch", "--waves", "rest", "--side-by-side", "1", "--yes", status=4)
    assert run["stopped"] == "1 of 4 in trouble" and states(run) == [{"not begun": 3, "in trouble": 1}]
    assert states(told(desk, table, "--status", status=4)) == states(run)
    assert states(told(desk, table, "--dry-run", "--to", "birch", "--waves", "rest", status=4)) == [
        {"not begun": 2, "in trouble": 1, "complete": 1}
    ]
    assert desk.run("house") == 1 and f"{nobody}: no move could be drawn: {nobody} is not delegated" in desk.said
    assert f"Next: mend what keeps {nobody} from being moved" in desk.said
    assert desk.run("house", "--html", str(tmp_path / "pages"), "--metrics", str(tmp_path / "metrics"), "-q") == 1
    assert "is not delegated" in (tmp_path / "pages" / "index.html").read_text()
    assert f'legatum_needs_somebody{{domain="{nobody}"}} 1.0' in (tmp_path / "metrics").read_text()
    told(desk, table, "--resume", "--yes", status=4)
    desk.done("history", nobody)
    assert desk.said.count("is not delegated") == 1  # the same again is one entry
    assert "Next: mend what stands in the way" in desk.said
    told(desk, table, "--pause", status=4)
    assert desk.run("house") == 1 and "paused: the fleet moves of leaving" in desk.said
    over = told(desk, table, "--resume", "--yes", "--wait", "--leave-out", nobody)
    assert states(over) == [{"complete": 3, "left out": 1}] == states(told(desk, table, "--status"))
    back = told(
        desk, table, "--take-back", "1", "--yes", "--wait"
    )  # what was as wished before is none of this move's doing
    assert states(back) == [{"taken back": 2, "complete": 1, "left out": 1}] and not back["stopped"]
    assert states(told(desk, table, "--resume", "--yes", "--wait")) == states(over)
    told(desk, table, "--pause")
    desk.done("house")
    assert "paused" not in desk.said  # there is nothing left to pause
    desk.done(
        "registration",
        "nameservers",
        "evensong.test",
        "--registrar",
        "slate",
        "--to",
        "rowan",
        "--anyway",
        "--yes",
        "--wait",
    )
    assert states(told(desk, table, "--resume", "--yes", status=4)) == [
        {"in trouble": 1, "complete": 2, "left out": 1}
    ]  # not believed


def test_a_list_that_was_changed_since_its_waves_were_drawn_is_not_gone_on_with(desk: Desk, tmp_path: Path) -> None:
    first, second, third, fourth = STALLS[:4]
    table = listed(tmp_path, "domain,to", f"{first},birch", f"{second},birch", f"{third},birch")
    told(desk, table, "--waves", "1,rest", "--yes")
    before = delegations(desk)
    listed(tmp_path, "domain,to", f"{first},birch", f"{third},sorrel", f"{fourth},birch")
    assert desk.run("fleet", "move", table, "--resume", "--yes", "--wait") == 2 and delegations(desk) == before
    assert (
        f"new: {fourth}; not in it any more: {second}; with other values: {third}" in desk.said
        and "--anew" in desk.said
    )
    desk.done("fleet", "move", table, "--status")
    assert "is not what the waves were drawn from" in desk.said
    over = told(desk, table, "--anew", "--waves", "1,rest", "--yes", "--wait")
    assert states(over) == [{"complete": 1}, {"complete": 2}]
    now = delegations(desk)
    assert now[second] == before[second] and [
        len(set(now[each]) & set(before[each])) for each in (first, third, fourth)
    ] == [0, 0, 0]
    listed(tmp_path, "domain,to", f"{fourth},birch")  # what is through may be taken out
    assert states(told(desk, table, "--resume", "--yes")) == states(over)
    Path(table).unlink()  # another operator may have the waves, and not the list
    desk.done("fleet", "move", table, "--resume", "--yes")
    assert "its waves stand as they were drawn" in desk.said


def test_lists_that_are_no_basis(desk: Desk, tmp_path: Path) -> None:
    def refused(*lines: str, words: tuple[str, ...] = ("--to", "birch")) -> str:
        assert desk.run("fleet", "move", listed(tmp_path, *lines), *words, "--yes") == 2, desk.said
        return desk.said

    assert "leaving.csv:2: " in refused("domain", "not a domain") and "no domain in it" in refused("# nobody")
    assert "stands on line 2 too, with other values" in refused(
        "domain,to", f"{STALLS[0]},birch", f"{STALLS[0]}.,rowan"
    )
    assert "what shall be different?" in refused(STALLS[0], words=())
    assert "no provider 'oak'" in refused("domain,to", f"{STALLS[0]},oak", words=())
    assert "'5x' says not" in refused(STALLS[0], words=("--to", "birch", "--stop-at", "5x"))
    assert "no limit" in refused(STALLS[0], words=("--to", "birch", "--limit", "nobody=3"))
    assert "is no address" in refused("domain,address", f"{STALLS[0]},here", words=())
    assert desk.run("fleet", "move", "-", "--to", "birch") == 2 and "no name" in desk.said
    assert desk.run("fleet", "move", str(tmp_path / "leaving.csv"), "--resume") == 2 and "no fleet move at" in desk.said
    assert not (desk.world.folder / "moves").exists()
    # who does not say yes has begun nothing; name servers' own domains come last
    table = listed(tmp_path, "birch.example", "evensong.test", STALLS[0])
    assert desk.run("fleet", "move", table, "--ttl", "@ SOA=2h") == 4 and "nobody to ask" in desk.said
    waves = [
        re.findall(r'"([^"]+)"', line)
        for line in re.findall(
            r"domains = \[([^\]]*)\]", next((desk.world.folder / "moves").glob("*.waves.toml")).read_text()
        )
    ]
    assert waves == [["evensong.test"], [STALLS[0]], ["birch.example"]]


def test_turns_at_a_provider_and_a_registrar_are_so_far_apart(monkeypatch: pytest.MonkeyPatch) -> None:
    slept: list[float] = []

    async def sleep(seconds: float) -> None:
        slept.append(round(seconds, 1))

    async def work() -> None:
        turns = Turns({"birch": 30, "flint": 60, "alder": 0})
        for places in (["birch"], ["birch", "alder"], ["flint"], ["flint", "birch"], ["alder"], ["oak"]):
            await turns.take(places)

    monkeypatch.setattr("legatum.work.fleet.carrying.asyncio.sleep", sleep)
    asyncio.run(work())
    assert slept == [2.0, 4.0]
