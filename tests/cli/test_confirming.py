"""``confirm --move``: the world held against what the steps done have led to, whatever was wished for together, at
every step."""

from pathlib import Path

import pytest

from legatum.demo.world_thread import WorldThread
from tests.cli.desk import DOMAIN, Desk

COMBINED = ("--to", "birch", "--replace", "198.51.100.80=203.0.113.99", "--speed", "lowered", "--publishing", "4m")
CONFIRM = ("confirm", DOMAIN, "--move", "--no-resolvers")


@pytest.mark.parametrize("until", ["gather", "lower", "apex", "parents", "confirm", ""])
def test_at_every_step_what_is_there_is_what_was_led_to(tmp_path: Path, until: str) -> None:
    with WorldThread(tmp_path / "world") as practice:
        desk = Desk(practice)
        desk.done("move", "draft", DOMAIN, "--from", "alder", "--registrar", "flint", *COMBINED)
        desk.done("move", "advance", DOMAIN, "--yes", "--wait", *(("--until", until) if until else ()))
        assert desk.run(*CONFIRM) == 0, desk.said
        assert ("a move is under way" in desk.said) == bool(until)
        if until:
            desk.done("survey", DOMAIN, "--no-resolvers")
            assert f"{DOMAIN}: a move is under way, and part of what differs may be meant; next in it: " in desk.said
        else:
            desk.done("confirm", DOMAIN, "--record", "@ A 203.0.113.99", "--no-resolvers")


def test_a_signed_domain_is_held_against_its_ds(tmp_path: Path) -> None:
    with WorldThread(tmp_path / "world") as practice:
        desk = Desk(practice)
        desk.done("ds", "withdraw", "rowan.test", "--registrar", "slate", "--yes", "--wait")
        desk.done("confirm", "rowan.test", "--move", "--no-resolvers")
        desk.done("move", "retreat", "rowan.test", "--yes", "--wait")
        desk.done("confirm", "rowan.test", "--move", "--no-resolvers")
        desk.done("practice", "form", "rowan.test", "--at", "slate", "--ds", "none")
        desk.done("practice", "clock", "--on", "10m")
        assert desk.run("confirm", "rowan.test", "--move", "--no-resolvers") == 1 and "no DS" in desk.said
