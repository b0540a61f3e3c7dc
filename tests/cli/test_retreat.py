"""Taken back from every step: everything is as it was, and no visitor noticed either way."""

import contextlib
import io
from pathlib import Path

import pytest

from legatum.cli.program.main import main
from legatum.core.records.name import parse_domain
from legatum.core.records.rrtype import MX, A
from legatum.demo.world_thread import WorldThread

DOMAIN = "kilnandclay.example"
STEPS = ["publish", "lower", "apex", "switch", "confirm", "end"]


def run(*words: str) -> int:
    with contextlib.redirect_stdout(io.StringIO()) as out, contextlib.redirect_stderr(out):
        status = main(words)
    if status not in (0, 4):
        raise AssertionError(out.getvalue())
    return status


@pytest.mark.parametrize("step", STEPS)
def test_a_move_is_taken_back_from_every_step(tmp_path: Path, step: str) -> None:
    with WorldThread(tmp_path / "world") as practice:
        world, settings = practice.world, ("--settings", str(practice.world.settings_file), "-q")
        practice.visit(
            [(parse_domain(f"shop.{DOMAIN}"), A), (parse_domain(f"w.preview.{DOMAIN}"), A), (parse_domain(DOMAIN), MX)],
            120.0,
        )
        before = world.hostings["alder"][0].zone(parse_domain(DOMAIN))
        assert (
            run(
                "move",
                "draft",
                DOMAIN,
                "--from",
                "alder",
                "--to",
                "birch",
                "--registrar",
                "flint",
                "--speed",
                "lowered",
                *settings,
            )
            == 0
        )
        assert run("move", "advance", DOMAIN, "--yes", "--wait", "--until", step, *settings) == 0
        assert run("move", "retreat", DOMAIN, "--dry-run", *settings) == 0
        assert run("move", "retreat", DOMAIN, "--yes", "--wait", *settings) == 0
        assert run("move", "advance", DOMAIN, "--yes", *settings) == 4  # a move that is taken back does not go on
        assert run("move", "redraw", DOMAIN, *settings) == 4
        assert run("confirm", DOMAIN, "--to", "alder", "--registrar", "flint", *settings) == 0
        after = world.hostings["alder"][0].zone(parse_domain(DOMAIN))
        assert before is not None and after is not None
        same = [key for key in before.keys | after.keys if key[1] != 6 and before.get(*key) != after.get(*key)]
        assert same == [] and after == world.hostings["alder"][1].zone(parse_domain(DOMAIN))
        assert world.hostings["birch"][0].zone(parse_domain(DOMAIN)) is None
        failures = [each for each in world.visitors.seen if not each.good]
        assert len(world.visitors.seen) > 0 and failures == []


def test_nothing_done_nothing_to_take_back(tmp_path: Path) -> None:
    with WorldThread(tmp_path / "world") as practice:
        settings = ("--settings", str(practice.world.settings_file), "-q")
        assert (
            run(
                "move",
                "draft",
                DOMAIN,
                "--from",
                "alder",
                "--to",
                "birch",
                "--registrar",
                "flint",
                "--speed",
                "lowered",
                *settings,
            )
            == 0
        )
        assert run("move", "retreat", DOMAIN, "--yes", *settings) == 4
        assert run("move", "advance", DOMAIN, "--yes", "--until", "gather", *settings) == 0
        assert run("move", "retreat", DOMAIN, "--yes", *settings) == 4  # a gathered zone is nothing that anybody sees
        assert run("move", "advance", DOMAIN, "--yes", "--until", "publish", *settings) == 0


def test_a_declined_retreat_leaves_the_move_as_it_was(tmp_path: Path) -> None:
    with WorldThread(tmp_path / "world") as practice:
        settings = ("--settings", str(practice.world.settings_file), "-q")
        assert (
            run(
                "move",
                "draft",
                DOMAIN,
                "--from",
                "alder",
                "--to",
                "birch",
                "--registrar",
                "flint",
                "--speed",
                "lowered",
                *settings,
            )
            == 0
        )
        assert run("move", "advance", DOMAIN, "--yes", "--until", "publish", *settings) == 0
        assert run("move", "retreat", DOMAIN, *settings) == 4  # nobody says yes
        beside = ("amend", DOMAIN, "press", "A", "198.51.100.9", "--at", "alder", "--yes")
        with contextlib.redirect_stderr(io.StringIO()) as said:
            assert main((*beside, *settings)) == 4
            assert (
                main(
                    ("registration", "nameservers", DOMAIN, "--registrar", "flint", "--to", "birch", "--yes", *settings)
                )
                == 4
            )
        assert (
            said.getvalue().count(f"{DOMAIN} is being moved from alder to birch: an edit beside the move would undo it")
            == 2
        )
        assert run("move", "advance", DOMAIN, "--yes", "--wait", "--until", "lower", *settings) == 0
        assert run("move", "retreat", DOMAIN, "--yes", "--wait", *settings) == 0


def test_until_a_step_that_is_done_does_nothing_and_a_lock_is_told_before_anybody_feels_it(tmp_path: Path) -> None:
    with WorldThread(tmp_path / "world") as practice:
        world, settings = practice.world, ("--settings", str(practice.world.settings_file), "-q")
        assert run("registration", "lock", DOMAIN, "--registrar", "flint", "--yes", *settings) == 0
        with contextlib.redirect_stderr(io.StringIO()) as said:
            assert (
                main(
                    (
                        "move",
                        "draft",
                        DOMAIN,
                        "--from",
                        "alder",
                        "--to",
                        "birch",
                        "--registrar",
                        "flint",
                        "--speed",
                        "lowered",
                        *settings[:2],
                    )
                )
                == 0
            )
        assert (
            "is locked (" in said.getvalue()
            and f"legatum registration unlock {DOMAIN} --registrar flint" in said.getvalue()
        )
        with contextlib.redirect_stdout(io.StringIO()) as out:
            assert main(("move", "advance", DOMAIN, "--yes", "--wait", *settings)) == 4
        assert "step 'apex' refused" in out.getvalue() and "clientUpdateProhibited" in out.getvalue()
        old = world.hostings["alder"][0].zone(parse_domain(DOMAIN))
        assert old is not None and b"birch" not in b"".join(
            old.apex_ns.rdatas if old.apex_ns else ()
        )  # nobody was led away
        assert run("move", "advance", DOMAIN, "--yes", "--wait", "--until", "publish", *settings) == 0  # done long ago
        assert run("registration", "unlock", DOMAIN, "--registrar", "flint", "--yes", *settings) == 0
        assert run("move", "advance", DOMAIN, "--yes", "--wait", "--until", "publish", *settings) == 0
        assert world.hostings["alder"][0].zone(parse_domain(DOMAIN)) == old  # and nothing was done now
        assert run("move", "advance", DOMAIN, "--yes", "--wait", *settings) == 0


def test_every_move_under_way_goes_on_and_one_that_cannot_holds_up_none(tmp_path: Path) -> None:
    with WorldThread(tmp_path / "world") as practice:
        settings = ("--settings", str(practice.world.settings_file), "-q")
        moving, others = (
            ("move", "advance", "--all", "--yes", "--wait", *settings),
            ("tidemill.example", "ferrytimes.example"),
        )
        for domain in others:
            assert run("move", "draft", domain, "--from", "alder", "--ttl", "www A=7m", *settings) == 0
        assert run("move", "draft", DOMAIN, "--from", "alder", "--ttl", "shop A=7m", *settings) == 0
        assert run("amend", DOMAIN, "shop", "A", "198.51.100.7", "--at", "alder", "--yes", "--anyway", *settings) == 0
        assert [run(*moving), run(*moving)] == [
            4,
            4,
        ]  # somebody edited what the first one rests on; the others end all the same
        for domain in others:
            zone = practice.world.hostings["alder"][0].zone(parse_domain(domain))
            assert (
                zone is not None
                and (found := zone.get(parse_domain(f"www.{domain}"), A)) is not None
                and found.ttl == 420
            )


@pytest.mark.parametrize("until", ["apex", "switch", "end"])
def test_a_way_back_is_given_up_and_the_move_goes_on(tmp_path: Path, until: str) -> None:
    with WorldThread(tmp_path / "world") as practice:
        world, settings = practice.world, ("--settings", str(practice.world.settings_file), "-q")
        practice.visit(
            [(parse_domain(f"shop.{DOMAIN}"), A), (parse_domain(f"w.preview.{DOMAIN}"), A), (parse_domain(DOMAIN), MX)],
            120.0,
        )
        assert (
            run(
                "move",
                "draft",
                DOMAIN,
                "--from",
                "alder",
                "--to",
                "birch",
                "--registrar",
                "flint",
                "--speed",
                "lowered",
                *settings,
            )
            == 0
        )
        assert run("move", "retreat", DOMAIN, "--give-up", *settings) == 4  # nothing is being taken back
        assert run("move", "advance", DOMAIN, "--yes", "--wait", "--until", until, *settings) == 0
        for _ in range(2):  # there, half of the way back, on again: twice
            assert run("move", "retreat", DOMAIN, "--yes", *settings) == 0
            assert run("move", "retreat", DOMAIN, "--give-up", *settings) == 0
            assert run("move", "rehearse", DOMAIN, *settings) == 0
        assert run("move", "advance", DOMAIN, "--yes", "--wait", "--until", until, *settings) == 0
        assert run("move", "retreat", DOMAIN, "--yes", *settings) == 0
        assert run("move", "retreat", DOMAIN, "--give-up", *settings) == 0
        assert run("move", "advance", DOMAIN, "--yes", "--wait", *settings) == 0
        assert run("confirm", DOMAIN, "--to", "birch", "--registrar", "flint", *settings) == 0
        assert run("move", "retreat", DOMAIN, "--yes", "--wait", *settings) == 0
        assert run("confirm", DOMAIN, "--to", "alder", "--registrar", "flint", *settings) == 0
        assert world.hostings["birch"][0].zone(parse_domain(DOMAIN)) is None
        assert len(world.visitors.seen) > 0 and [each for each in world.visitors.seen if not each.good] == []
