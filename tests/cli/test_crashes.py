"""Killed at every point, full disks, two operators, a world that moves on: the move goes on, nothing twice, nothing
lost."""

import json
import os
import signal
import subprocess
from collections.abc import Iterator
from pathlib import Path

import pytest

from legatum.core.records.name import parse_domain
from legatum.core.records.rrtype import MX, NS, A
from legatum.demo.kinds import WISHES
from legatum.demo.world_thread import WorldThread
from legatum.journal.journal import Journal
from tests.cli.desk import Desk
from tests.cli.program import PROGRAM, Shell
from tests.deadly import POINTS, deadly, deadly_at
from tests.started import Ended, run_program

DOMAIN = "kilnandclay.example"
DRAFT = ("move", "draft", DOMAIN, "--from", "alder", "--to", "birch", "--registrar", "flint", "--speed", "lowered")
SIGNED = "coppergate.example"
SIGNED_WISHES = (
    ("--to", "sorrel"),
    ("--second", "sorrel"),
    ("--exchange",),
    ("--to", "sorrel", "--passage", "same-keys"),
    ("--exchange", "--algorithm", "14"),
)
STEPS = ["gather", "publish", "compare", "lower", "ready", "apex", "switch", "parents", "confirm", "raise", "end"]


@pytest.fixture
def practice(tmp_path: Path) -> Iterator[WorldThread]:
    with WorldThread(tmp_path / "world") as started:
        yield started


@pytest.fixture
def shell(practice: WorldThread, tmp_path: Path) -> Shell:
    return Shell(tmp_path, {"LEGATUM_SETTINGS": str(practice.world.folder)})


def killed(shell: Shell, point: str, step: str, *words: str) -> int:
    words = words or ("move", "advance", DOMAIN, "--yes", "--wait")
    return run_program(words, shell.folder, shell.variables, before=deadly(point, step)).status


@pytest.mark.timeout(240)
def test_killed_at_every_point_of_every_step_the_move_goes_on(practice: WorldThread, shell: Shell) -> None:
    world = practice.world
    practice.visit([(parse_domain(f"shop.{DOMAIN}"), A), (parse_domain(DOMAIN), MX)], 300.0)
    changes: list[str] = []
    update, create, end = world.registry.domains.update, world.create_zone, world.end_zone
    world.registry.domains.update = lambda *words: changes.append("registry") or update(*words)  # type: ignore[method-assign,func-returns-value]
    world.create_zone = lambda *words: changes.append("create") or create(*words)  # type: ignore[method-assign,func-returns-value]
    world.end_zone = lambda *words: changes.append("end") or end(*words)  # type: ignore[method-assign,func-returns-value]
    assert shell.run(*DRAFT).status == 0
    for step in STEPS:
        for point in POINTS:
            died = killed(shell, point, step)
            # What was done before the record is found by looking, so no second intent is written for it.
            assert died == -signal.SIGKILL, (step, point, died)
            if point == "before the record":
                assert step not in [
                    each["id"]
                    for each in shell.run("move", "status", DOMAIN, "--json").document["steps"]
                    if each["all"]
                ]
    ended = shell.run("move", "advance", DOMAIN, "--yes", "--wait", "--json")
    assert ended.document["halt"] == "complete" and ended.document["done"] == []
    assert changes == ["create", "registry", "end"]
    updates = [
        visit.server
        for visit in world.log
        if visit.outcome == "update: answered" and visit.server.startswith("ns1.") and "nic" not in visit.server
    ]
    assert updates == ["ns1.birch.example", "ns1.alder.test", "ns1.alder.test", "ns1.birch.example"]
    assert shell.run("confirm", DOMAIN, "--to", "birch", "--registrar", "flint").status == 0
    assert world.visitors.seen and all(each.good for each in world.visitors.seen)


def changes_of(practice: WorldThread) -> list[str]:
    """What the servers and the registry were made to change, in order."""
    registry = [verb for verb in practice.world.epp.commands if verb in ("create", "update", "delete", "transfer")]
    return [
        each.server for each in practice.world.log if each.outcome == "update: answered" and "nic" not in each.server
    ] + registry


@pytest.mark.timeout(240)
@pytest.mark.parametrize("kind", [kind for kind in WISHES if kind not in ("provider", "combined")])
def test_of_every_kind_nothing_is_done_twice_or_lost(tmp_path: Path, kind: str) -> None:
    """Killed at every point of every step, beside the same move without."""
    done = []
    for kills in (False, True):
        with WorldThread(tmp_path / f"world-{kills}") as practice:
            shell = Shell(tmp_path, {"LEGATUM_SETTINGS": str(practice.world.folder)})
            drafted = shell.run(
                "move", "draft", DOMAIN, "--from", "alder", "--registrar", "flint", *WISHES[kind], "--json"
            ).document
            for step in [each["id"] for each in drafted["steps"]] if kills else ():
                for point in POINTS:
                    assert killed(shell, point, step) == -signal.SIGKILL, (step, point)
            assert shell.run("move", "advance", DOMAIN, "--yes", "--wait", "--json").document["halt"] == "complete"
            zones = [
                each.zone(parse_domain(DOMAIN)) for name in ("alder", "birch") for each in practice.world.hostings[name]
            ]
            done.append((changes_of(practice), [sorted(zone.keys) if zone else None for zone in zones]))
    assert done[0] == done[1]


@pytest.mark.timeout(240)
@pytest.mark.parametrize("wishes", SIGNED_WISHES, ids=lambda wishes: " ".join(wishes).replace("--", ""))
def test_of_a_signed_move_nothing_is_done_twice_or_lost(tmp_path: Path, wishes: tuple[str, ...]) -> None:
    """Keys, DS sets and signers, killed at every point of every step, and over and over on the way back, beside the
    same without."""
    done = []
    for kills in (False, True):
        with WorldThread(tmp_path / f"world-{kills}") as practice:
            shell = Shell(tmp_path, {"LEGATUM_SETTINGS": str(practice.world.folder)})
            assert shell.run("ds", "submit", SIGNED, "--registrar", "flint", "--yes", "--wait").status == 0
            drafted = shell.run("move", "draft", SIGNED, "--registrar", "flint", *wishes, "--json").document
            advance = ("move", "advance", SIGNED, "--yes", "--wait")
            for step in [each["id"] for each in drafted["steps"]] if kills else ():
                for point in POINTS:
                    assert killed(shell, point, step, *advance) == -signal.SIGKILL, (step, point)
            assert shell.run(*advance, "--json").document["halt"] == "complete"
            assert shell.run("ds", "show", SIGNED, "--json").document["state"] == "connected and valid"
            retreat, turns = ("move", "retreat", SIGNED, "--yes", "--wait"), 0
            while (
                kills
                and run_program(retreat, shell.folder, shell.variables, before=deadly_at(1 + turns % 3)).status
                == -signal.SIGKILL
            ):
                turns += 1
            assert shell.run(*retreat, "--json").document["halt"] == "complete" and (turns > 5) == kills
            assert shell.run("ds", "show", SIGNED, "--json").document["state"] == "connected and valid"
            held = practice.world.registry.known(parse_domain(SIGNED))
            signing = [
                each
                for each in ("rowan", "sorrel")
                if practice.world.hostings[each][0].zone(parse_domain(SIGNED)) is not None
            ]
            done.append((changes_of(practice), len(held.ds) if held is not None else 0, signing))
    assert done[0] == done[1]


def test_a_part_is_taken_back_after_every_kill(shell: Shell) -> None:
    words = ("delegate", "app", "--of", DOMAIN, "--at", "alder", "--to", "birch")
    assert shell.run("amend", DOMAIN, "app", "A", "198.51.100.71", "--at", "alder", "--yes").status == 0
    assert shell.run(*words, "--yes", "--wait").status == 0
    for point, step in (
        ("after the intent", "cut"),
        ("before the record", "cut"),
        ("before the record", "apex"),
        ("after the intent", "end"),
    ):
        assert killed(shell, point, step, *words, "--back", "--yes", "--wait") == -signal.SIGKILL, (point, step)
    back = shell.run(*words, "--back", "--yes", "--wait", "--json")
    assert back.document["halt"] == "complete" and back.document["done"] == ["end"], back.err
    steps = {each["id"]: each for each in shell.run("move", "status", DOMAIN, "--json").document["steps"]}
    assert "86400" in steps["end"]["hold"]["reason"] and steps["end"]["all"] >= steps["end"]["hold"]["not_before"]
    assert "198.51.100.71" in shell.run("gather", DOMAIN, "--from", "alder", "--out", "-").out


def test_a_full_disk_stops_before_the_outside_is_touched(practice: WorldThread, shell: Shell) -> None:
    assert shell.run(*DRAFT).status == 0
    assert shell.run("move", "advance", DOMAIN, "--yes", "--until", "gather").status == 0
    command = f"ulimit -f 4; exec {PROGRAM} move advance {DOMAIN} --yes"
    environment = {**os.environ, **shell.variables}
    full = subprocess.run(
        ["bash", "-c", command],
        cwd=shell.folder,
        env=environment,
        capture_output=True,
        text=True,
        timeout=60,
        check=False,
    )
    assert full.returncode == 3 and "journal" in full.stderr and "Traceback" not in full.stderr, full.stderr
    assert practice.world.hostings["birch"][0].zone(parse_domain(DOMAIN)) is None
    for words in ("ds show rowan.test", "survey rowan.test --chain"):  # looking is none the worse
        command = f"ulimit -f 0; exec {PROGRAM} {words}"
        looked = subprocess.run(
            ["bash", "-c", command],
            cwd=shell.folder,
            env=environment,
            capture_output=True,
            text=True,
            timeout=60,
            check=False,
        )
        assert looked.returncode == 0 and "connected and valid" in looked.stdout and "is not kept" in looked.stderr, (
            looked.stderr
        )
    assert shell.run("move", "advance", DOMAIN, "--yes", "--json").document["halt"] == "holding"


def test_the_second_operator_is_told_who_and_since_when(practice: WorldThread, shell: Shell) -> None:
    assert shell.run(*DRAFT).status == 0
    # The first one sits at a question.
    first = subprocess.Popen(
        ["script", "-qec", f"{PROGRAM} move advance {DOMAIN}", "/dev/null"],
        cwd=shell.folder,
        env={**os.environ, **shell.variables},
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        text=True,
    )
    assert first.stdout is not None and first.stdin is not None
    shown = ""
    while "Type yes" not in shown:
        shown += first.stdout.read(1)
    second = shell.run("move", "advance", DOMAIN, "--yes")
    assert second.status == 4 and "is being worked on by" in second.err and "since 20" in second.err
    assert shell.run("move", "retreat", DOMAIN, "--yes").status == 4
    assert shell.run("move", "status", DOMAIN).status == 0  # looking is always possible
    first.stdin.write("no\n")
    first.stdin.close()
    first.wait(20)
    assert shell.run("move", "advance", DOMAIN, "--yes", "--json").document["halt"] == "holding"


def in_world(practice: WorldThread, change: str) -> None:
    """Something that happens outside, behind the move's back."""
    world = practice.world
    primary = world.hostings["example" if "delegation" in change else "alder"][0]
    zone = primary.zone(parse_domain("example" if "delegation" in change else DOMAIN))
    assert zone is not None
    ns = zone.get(parse_domain(DOMAIN), NS)
    assert ns is not None
    changed = ns.with_ttl(7200) if "ttl" in change else ns._replace(rdatas=ns.rdatas[:1])
    practice._loop.call_soon_threadsafe(primary.serve, zone.with_rrsets([changed]).with_serial(zone.soa.serial + 1))


def hold(ended: Ended, step: str) -> str:
    return next(each["hold"]["reason"] for each in ended.document["steps"] if each["id"] == step)


def test_another_ttl_at_the_parent_stops_the_move_and_the_plan_is_redrawn(practice: WorldThread, shell: Shell) -> None:
    assert shell.run(*DRAFT).status == 0
    assert shell.run("move", "advance", DOMAIN, "--yes", "--json").document["halt"] == "holding"
    in_world(practice, "delegation ttl")
    stopped = shell.run("move", "advance", DOMAIN, "--yes", "--wait", "--json")
    assert (
        stopped.status == 4
        and "the TTL of the delegation is now 7200; the plan rests on 3600" in stopped.document["reasons"][0]
    )
    assert "move redraw" in stopped.document["remedies"][0]
    drawn = shell.run("move", "redraw", DOMAIN, "--json")
    assert drawn.status == 0 and "TTL of 7200" in hold(drawn, "confirm")
    assert [step["id"] for step in drawn.document["steps"] if step["all"]] == ["gather", "publish", "compare", "lower"]
    assert shell.run("move", "rehearse", DOMAIN).status == 0
    assert shell.run("move", "advance", DOMAIN, "--yes", "--wait", "--json").document["halt"] == "complete"


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ("delegation set", "the parent now delegates"),
        ("apex ttl", "TTL of the NS set at alder is now 7200"),
        ("apex set", "the NS set at alder is now ns1.alder.test;"),
    ],
)
def test_another_ns_set_stops_the_move(practice: WorldThread, shell: Shell, change: str, says: str) -> None:
    assert shell.run(*DRAFT).status == 0
    assert shell.run("move", "advance", DOMAIN, "--yes", "--json").document["halt"] == "holding"
    in_world(practice, change)
    stopped = shell.run("move", "advance", DOMAIN, "--yes", "--wait", "--json")
    assert stopped.status == 4 and says in stopped.document["reasons"][0], stopped.out


def test_a_switch_that_somebody_undoes_keeps_the_old_side_and_is_waited_for_anew(
    practice: WorldThread, shell: Shell
) -> None:
    assert shell.run(*DRAFT).status == 0
    stopped = shell.run("move", "advance", DOMAIN, "--yes", "--wait", "--until", "raise", "--json")
    assert stopped.status == 0, stopped.err
    names = ("registration", "nameservers", DOMAIN, "--registrar", "flint", "--yes", "--anyway", "--json", "--to")
    assert shell.run(*names, "alder", "--anyway").status == 0
    refused = shell.run("move", "advance", DOMAIN, "--yes", "--wait", "--json")
    assert refused.status == 4 and refused.document["halt"] == "refused", refused.out
    assert any("ns1.alder.test, ns2.alder.test" in reason for reason in refused.document["reasons"]), refused.document[
        "reasons"
    ]
    assert practice.world.hostings["alder"][0].zone(parse_domain(DOMAIN)) is not None
    undone = {
        each["id"] for each in shell.run("move", "status", DOMAIN, "--json").document["steps"] if each["all"] is None
    }
    assert {"switch", "parents", "confirm", "raise", "end"} == undone
    assert shell.run(*names, "birch").status == 0
    holding = shell.run("move", "advance", DOMAIN, "--yes", "--json")
    assert holding.document["halt"] == "holding", holding.document
    assert practice.world.hostings["alder"][0].zone(parse_domain(DOMAIN)) is not None
    assert shell.run("move", "advance", DOMAIN, "--yes", "--wait", "--json").document["halt"] == "complete"


def test_what_was_done_in_a_window_and_not_recorded_is_found_before_the_next_one(
    practice: WorldThread, shell: Shell
) -> None:
    from datetime import UTC, datetime, timedelta

    begins = datetime.fromtimestamp(practice.world.clock.now() + 3 * 3600, UTC).replace(minute=0)
    window = f"{begins:%a %H:%M}-{begins + timedelta(minutes=30):%H:%M}"
    assert (
        shell.run(
            "move", "draft", DOMAIN, "--replace", "198.51.100.80=203.0.113.99", "--speed", "at-once", "--window", window
        ).status
        == 0
    )
    assert killed(shell, "before the record", "address") == -signal.SIGKILL
    practice.run(practice.world.clock.until(practice.world.clock.now() + 3600))
    ended = shell.run("move", "advance", DOMAIN, "--yes", "--json")
    assert ended.document["done"] == ["address"], ended.err  # found, not held for a week
    updates = [
        each for each in practice.world.log if each.outcome == "update: answered" and each.server == "ns1.alder.test"
    ]
    assert len(updates) == 1


def told(desk: Desk, step: str) -> str:
    """What became of the last act of this kind; nothing of one that is open."""
    desk.done("history", DOMAIN, "--json")
    said: str = [each for each in json.loads(desk.said)["acts"] if each["step"] == step][-1]["said"]
    return said


def test_what_was_begun_and_is_so_is_settled_by_every_command_that_finds_it_so(tmp_path: Path) -> None:
    """The disk was full, or the database away, just after a change: the next look writes down that it happened."""
    with WorldThread(tmp_path / "world") as practice:
        desk = Desk(practice)
        locks = ("registration", "lock", DOMAIN, "--registrar", "flint", "--yes")
        desk.done(*locks)
        for step, command in (
            ("lock", locks),
            ("nameservers", ("registration", "nameservers", DOMAIN, "--to", "alder", "--registrar", "flint", "--yes")),
            ("publish", ("amend", DOMAIN, "www", "CNAME", "@", "--at", "alder", "--yes")),
        ):
            Journal("journal.sqlite", practice.world.folder).intend(
                "", parse_domain(DOMAIN), step, practice.world.clock.now(), step
            )
            desk.done(*command, "--dry-run")
            assert told(desk, step) == ""
            desk.done(*command)
            assert told(desk, step) == "found as it was meant, when it was looked at again"
