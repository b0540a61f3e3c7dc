"""Edits that people make at one side in the middle of a move: told, made at the other side too when that is wanted,
never lost."""

import json
from collections.abc import Iterator
from pathlib import Path

import pytest

from legatum.core.moves.outcome import Outcome
from legatum.core.records.name import below, parse_domain
from legatum.core.records.rrset import RRset
from legatum.core.records.rrtype import TXT, A
from legatum.demo.world_thread import WorldThread
from legatum.work.moves.effects.records import ChangeRecords
from tests.cli.desk import DOMAIN, Desk

NAME = below("press", parse_domain(DOMAIN))


def edit(desk: Desk, provider: str, text: str) -> None:
    desk.done("amend", DOMAIN, "press", "TXT", text, "--at", provider, "--yes", "--anyway")


def text_at(desk: Desk, provider: str) -> list[RRset | None]:
    # type: ignore[union-attr]
    return [each.zone(parse_domain(DOMAIN)).get(NAME, TXT) for each in desk.world.hostings[provider]]


@pytest.fixture
def desk(tmp_path: Path) -> Iterator[Desk]:
    with WorldThread(tmp_path / "world") as practice:
        started = Desk(practice)
        started.done(
            "move", "draft", DOMAIN, "--from", "alder", "--to", "birch", "--registrar", "flint", "--speed", "lowered"
        )
        started.done("move", "advance", DOMAIN, "--yes", "--wait", "--until", "switch")
        yield started


@pytest.mark.parametrize(("edited", "other"), [("alder", "birch"), ("birch", "alder")])
def test_an_edit_at_one_side_is_told_and_made_at_the_other(desk: Desk, edited: str, other: str) -> None:
    edit(desk, edited, "open on Saturdays")
    assert desk.run("move", "advance", DOMAIN) == 4  # nobody says yes
    assert f"edited at {edited} only: press.{DOMAIN} TXT: nothing → " in desk.said and "open on Saturdays" in desk.said
    assert None in text_at(desk, other)
    assert desk.run("move", "advance", DOMAIN, "--yes", "--wait", "--until", "confirm") == 0, desk.said
    assert len({*text_at(desk, edited), *text_at(desk, other)}) == 1 and text_at(desk, other)[0] is not None
    edit(desk, other, "open on Sundays, too")  # what was carried over once is no edit any more
    assert desk.run("move", "retreat", DOMAIN, "--yes", "--wait") == 0, desk.said
    assert {b"Sundays" in each.rdatas[0] for each in text_at(desk, "alder") if each is not None} == {True}


def test_two_edits_of_one_rrset_are_for_a_person(desk: Desk) -> None:
    edit(desk, "alder", "open on Saturdays")
    edit(desk, "birch", "open on Sundays")
    assert desk.run("move", "advance", DOMAIN, "--yes", "--wait") == 4
    assert "and edited otherwise at" in desk.said and "make the same edit on both sides" in desk.said
    assert desk.run("move", "advance", DOMAIN, "--yes", "--wait") == 4  # for the same reason
    assert desk.run("house", "--json", "-q") == 1
    (waiting,) = json.loads(desk.said)["moves"]
    assert (
        waiting["state"] == "in trouble"
        and waiting["trouble"].startswith("refused: ")
        and "edited otherwise" in waiting["trouble"]
    )
    assert ". To do: make the same edit on both sides" in waiting["trouble"]
    assert desk.run("move", "status", DOMAIN) == 0 and "The last time: refused: " in desk.said
    edit(desk, "birch", "open on Saturdays")
    assert desk.run("move", "advance", DOMAIN, "--yes", "--wait") == 0, desk.said
    assert desk.run("move", "status", DOMAIN) == 0 and "The last time" not in desk.said
    assert desk.run("history", DOMAIN, "--json") == 0
    assert [each["became"] for each in json.loads(desk.said)["acts"]].count("refused") == 1


@pytest.mark.parametrize(
    "look", [("survey", DOMAIN), ("confirm", DOMAIN), ("fleet", "survey", "LIST"), ("fleet", "confirm", "LIST")]
)
def test_what_was_seen_counts_in_a_later_plan(tmp_path: Path, look: tuple[str, ...]) -> None:
    """Whoever asked before the TTL was lowered by hand keeps the old copy as long as ever: no command of ours lowered
    it."""
    (tmp_path / "list").write_text(f"{DOMAIN}\nferrytimes.example\n")
    with WorldThread(tmp_path / "world") as practice:
        desk, domain = Desk(practice), parse_domain(DOMAIN)
        assert desk.run(*(str(tmp_path / "list") if each == "LIST" else each for each in look)) in (0, 1), desk.said
        zone = desk.world.hostings["alder"][0].zone(domain)
        assert zone is not None and zone.apex_ns is not None and zone.apex_ns.ttl == 86400
        lowered = zone.with_rrsets([zone.apex_ns.with_ttl(60)]).with_serial(zone.soa.serial + 1)

        async def edited() -> None:
            for each in desk.world.hostings["alder"]:
                each.serve(lowered)

        practice.run(edited())
        desk.done("move", "draft", DOMAIN, "--from", "alder", "--to", "birch", "--registrar", "flint")
        assert f"{DOMAIN} NS with 86400 at alder until" in desk.said and "with a TTL of 86400" in desk.said


def test_killed_between_two_edits_the_other_is_still_told(desk: Desk) -> None:
    """Of the effects of one step the first was there already: what is left of it is done, and nothing twice."""
    edit(desk, "alder", "open on Saturdays")
    desk.done("amend", DOMAIN, "fair", "A", "198.51.100.90", "--at", "alder", "--yes", "--anyway")
    perform, done = ChangeRecords.perform, list[str]()

    async def cut_off(self: ChangeRecords) -> Outcome:
        done.append(self.effect.place)
        if len(done) == 2:
            raise KeyboardInterrupt
        return await perform(self)

    with pytest.MonkeyPatch.context() as patched:
        patched.setattr(ChangeRecords, "perform", cut_off)
        with pytest.raises(KeyboardInterrupt):
            desk.run("move", "advance", DOMAIN, "--yes")
    assert done == ["birch", "birch"]
    assert desk.run("move", "advance", DOMAIN) == 4 and "press" in desk.said and "fair" not in desk.said, desk.said
    desk.done("move", "advance", DOMAIN, "--yes", "--wait")
    zone = desk.world.hostings["birch"][0].zone(parse_domain(DOMAIN))
    assert zone is not None and zone.get(NAME, TXT) and zone.get(below("fair", parse_domain(DOMAIN)), A)
