"""Edits that people make at one side in the middle of a move: told, made at the other side too when that is wanted, never lost."""

import contextlib
import io
from collections.abc import Iterator
from pathlib import Path

import pytest

from legatum.cli.main import main
from legatum.core.records.name import below, parse_domain
from legatum.core.records.rrset import RRset
from legatum.core.records.rrtype import TXT
from legatum.demo.world_thread import WorldThread

DOMAIN = "kilnandclay.example"
NAME = below("press", parse_domain(DOMAIN))


class Desk:
    """The program over one practice world."""

    def __init__(self, practice: WorldThread) -> None:
        self.world = practice.world
        self.said = ""

    def run(self, *words: str) -> int:
        with contextlib.redirect_stdout(io.StringIO()) as out, contextlib.redirect_stderr(out):
            status = main((*words, "--settings", str(self.world.settings_file)))
        self.said = out.getvalue()
        return status

    def edit(self, provider: str, text: str) -> None:
        assert self.run("amend", DOMAIN, "press", "TXT", text, "--at", provider, "--yes", "--anyway") == 0, self.said

    def text_at(self, provider: str) -> list[RRset | None]:
        return [each.zone(parse_domain(DOMAIN)).get(NAME, TXT) for each in self.world.hostings[provider]]  # type: ignore[union-attr]


@pytest.fixture
def desk(tmp_path: Path) -> Iterator[Desk]:
    with WorldThread(tmp_path / "world") as practice:
        started = Desk(practice)
        drafted = started.run("move", "draft", DOMAIN, "--from", "alder", "--to", "birch", "--registrar", "flint", "--pace", "lowered")
        assert drafted == 0, started.said
        assert started.run("move", "advance", DOMAIN, "--yes", "--wait", "--until", "switch") == 0, started.said
        yield started


@pytest.mark.parametrize(("edited", "other"), [("alder", "birch"), ("birch", "alder")])
def test_an_edit_at_one_side_is_told_and_made_at_the_other(desk: Desk, edited: str, other: str) -> None:
    desk.edit(edited, "open on Saturdays")
    assert desk.run("move", "advance", DOMAIN) == 4  # nobody says yes
    assert f"edited at {edited} only: press.{DOMAIN} TXT: nothing → " in desk.said and "open on Saturdays" in desk.said
    assert None in desk.text_at(other)
    assert desk.run("move", "advance", DOMAIN, "--yes", "--wait", "--until", "confirm") == 0, desk.said
    assert len({*desk.text_at(edited), *desk.text_at(other)}) == 1 and desk.text_at(other)[0] is not None
    desk.edit(other, "open on Sundays, too")  # what was carried over once is no edit any more
    assert desk.run("move", "retreat", DOMAIN, "--yes", "--wait") == 0, desk.said
    assert {b"Sundays" in each.rdatas[0] for each in desk.text_at("alder") if each is not None} == {True}


def test_two_edits_of_one_rrset_are_for_a_person(desk: Desk) -> None:
    desk.edit("alder", "open on Saturdays")
    desk.edit("birch", "open on Sundays")
    assert desk.run("move", "advance", DOMAIN, "--yes", "--wait") == 4
    assert "and edited otherwise at" in desk.said and "make the same edit on both sides" in desk.said
    desk.edit("birch", "open on Saturdays")
    assert desk.run("move", "advance", DOMAIN, "--yes", "--wait") == 0, desk.said
