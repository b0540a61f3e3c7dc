"""What the house knows counts in every word that it says: after a command was broken off, after an edit, after there
and back."""

import json
import re
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from legatum.core.calendar.instant import parse_instant
from legatum.demo.world_thread import WorldThread
from legatum.services.update_provider import DynamicUpdateProvider
from tests.cli.desk import DOMAIN, Desk

NS = ("@", "NS", "ns1.alder.test.", "ns2.alder.test.")
TO_BIRCH = ("move", "draft", DOMAIN, "--from", "alder", "--to", "birch", "--registrar", "flint")


@pytest.fixture
def desk(tmp_path: Path) -> Iterator[Desk]:
    with WorldThread(tmp_path / "world") as practice:
        yield Desk(practice)


def said(desk: Desk, *words: str) -> dict[str, Any]:
    desk.run(*words, "--json", "-q")
    document = json.loads(desk.said)
    assert isinstance(document, dict)
    return document


def hours_of(desk: Desk, step: str) -> float:
    """How long the plan waits from now on before the step, in hours."""
    shown = said(desk, "move", "show", DOMAIN)
    hold = next(each for each in shown["steps"] if each["id"] == step)["hold"]
    return (parse_instant(hold["not_before"]) - desk.world.clock.now()) / 3600


@pytest.mark.parametrize("again", [False, True])
def test_a_change_that_was_broken_off_may_have_happened(
    desk: Desk, again: bool, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The old TTL is remembered before the new one is sent: whatever becomes of the program after that, plans count
    it."""
    apply = DynamicUpdateProvider.apply

    async def broken_off(self: DynamicUpdateProvider, *words: Any) -> str:
        await apply(self, *words)
        raise KeyboardInterrupt

    with monkeypatch.context() as patched:
        patched.setattr(DynamicUpdateProvider, "apply", broken_off)
        with pytest.raises(KeyboardInterrupt):
            desk.run("amend", DOMAIN, *NS, "--ttl", "300", "--at", "alder", "--yes")
    if again:
        desk.done("amend", DOMAIN, *NS, "--ttl", "300", "--at", "alder", "--yes")
        assert "nothing to change" in desk.said
    desk.done(*TO_BIRCH)
    assert f"{DOMAIN} NS with 86400 at alder until" in desk.said
    assert hours_of(desk, "confirm") > 23.9


def test_a_timetable_counts_what_the_tool_itself_has_lowered(desk: Desk) -> None:
    desk.done(
        "amend", DOMAIN, "www", "A", "198.51.100.80", "--ttl", "1h", "--instead", "--at", "alder", "--yes", "--anyway"
    )
    desk.done("amend", DOMAIN, "www", "A", "198.51.100.80", "--ttl", "10", "--at", "alder", "--yes", "--anyway")
    now = desk.world.clock.now()
    shown = said(desk, "timetable", DOMAIN, "--change", "www A")
    (row,) = [each for each in shown["rows"] if each["what"] == f"www.{DOMAIN} A"]
    assert row["ttl"] == 10 and 3500 < parse_instant(row["until"]) - now < 3700
    assert "alder gave A for www" in row["reason"] and "with a TTL of 3600" in row["reason"]
    desk.done("amend", DOMAIN, "www", "A", "198.51.100.81", "--at", "alder", "--yes", "--anyway")
    watched = desk.run("watch", DOMAIN, "--record", "www A 198.51.100.81", "--every", "10m")
    assert watched == 0 and "every copy anywhere has run out" in desk.said
    assert desk.world.clock.now() - now >= 3590  # a resolver that the settings do not name may have it that long


def test_a_ttl_raised_and_put_back_while_a_move_is_under_way_is_waited_for(desk: Desk) -> None:
    """Nobody who fetched it meanwhile asks the old side any more when that ends."""
    desk.done(*TO_BIRCH, "--speed", "lowered", "--publishing", "4m")
    desk.done("move", "advance", DOMAIN, "--yes", "--wait", "--until", "lower")
    desk.done("practice", "clock", "--on", "1d")
    desk.done("amend", DOMAIN, *NS, "--ttl", "2d", "--at", "alder", "--yes", "--anyway")
    desk.done("amend", DOMAIN, *NS, "--ttl", "300", "--at", "alder", "--yes", "--anyway")
    put_back = desk.world.clock.now()
    desk.done("move", "redraw", DOMAIN)
    assert f"{DOMAIN} NS with 172800 at alder until" in desk.said
    desk.done("move", "advance", DOMAIN, "--yes", "--wait", "--any-time")
    assert "with a TTL of 172800" in desk.said and desk.world.clock.now() - put_back >= 2 * 86400


def test_what_is_remembered_never_stands_for_the_present(desk: Desk) -> None:
    """There and back by the registrar's form, then a move: its way back, and going on, work as they do for every other
    domain."""
    domain = "tidemill.example"
    desk.done("publish", domain, "--from", "alder", "--to", "birch", "--yes")
    desk.done(
        "registration", "nameservers", domain, "--registrar", "flint", "--to", "birch", "--yes", "--wait", "--anyway"
    )
    desk.done("practice", "clock", "--on", "2h")
    desk.run("survey", domain)
    desk.done(
        "registration", "nameservers", domain, "--registrar", "flint", "--to", "alder", "--yes", "--wait", "--anyway"
    )
    desk.done("practice", "clock", "--on", "2d")
    desk.done("move", "draft", domain, "--from", "alder", "--to", "birch", "--registrar", "flint", "--force")
    desk.done("move", "advance", domain, "--yes", "--wait", "--until", "parents")
    desk.done("move", "redraw", domain)
    desk.done("move", "retreat", domain, "--yes", "--wait")
    desk.done("confirm", domain, "--to", "alder", "--registrar", "flint")


def test_a_hold_looks_at_what_it_rests_on(desk: Desk) -> None:
    """A DS that somebody puts back while its end is waited for is told, and what it left in caches is waited for
    anew."""
    domain = "rowan.test"
    assert desk.run("ds", "withdraw", domain, "--registrar", "slate", "--yes", "--wait", "--until", "ds-out") == 0, (
        desk.said
    )
    first = said(desk, "move", "advance", domain, "--yes")
    assert first["halt"] == "holding", first
    ds = _ds_of(desk, domain)
    desk.done("practice", "form", domain, "--at", "slate", "--ds", ds)
    desk.done("practice", "clock", "--on", "30m")
    assert desk.run("move", "advance", domain, "--yes") == 4 and "hands out" in desk.said and "DS" in desk.said
    desk.done("practice", "form", domain, "--at", "slate", "--ds", "none")
    desk.done("practice", "clock", "--on", "10m")
    again = said(desk, "move", "advance", domain, "--yes")
    assert again["halt"] == "holding" and parse_instant(again["until"]) > parse_instant(first["until"]) + 1800, again


def _ds_of(desk: Desk, domain: str) -> str:
    desk.done("ds", "derive", domain, "-q")
    return next(
        line.removeprefix("in one line").strip() for line in desk.said.splitlines() if line.startswith("in one line")
    )


def test_the_telephone_question_has_an_instant_for_an_answer(desk: Desk) -> None:
    """Sent to servers without its zone and put back: what resolvers keep of that is normal until a time that is
    known."""
    domain, resolvers = "tidemill.example", desk.world
    assert resolvers is not None
    desk.done("practice", "form", domain, "--at", "flint", "--ns", "ns1.rowan.test,ns2.rowan.test")
    desk.done("practice", "clock", "--on", "20m")
    broken = said(desk, "survey", domain)
    assert broken["verdict"].count("error"), broken["verdict"]
    assert desk.run("timetable", domain) == 0, desk.said  # the parent's TTL is there to be seen
    assert "NS set at the parent" in desk.said or "at the parent" in desk.said
    desk.done("practice", "form", domain, "--at", "flint", "--ns", "ns1.alder.test,ns2.alder.test")
    desk.done("practice", "clock", "--on", "5m")
    after = said(desk, "survey", domain)
    (kept,) = [each for each in after["findings"] if each["slug"] == "old-delegation-kept"]
    assert "normal until" in kept["seen"][0] and "the parent gave the NS set ns1.rowan.test" in kept["seen"][0]
    assert not {"most-resolvers-fail", "resolver-fails", "resolver-holds-other-ns"} & {
        each["slug"] for each in after["findings"]
    }
    assert desk.run("confirm", domain) == 1
    assert "not yet" in desk.said and "normal until" in desk.said and "a fault" not in desk.said.split("\n")[0]
    until = re.search(r"ask again after (\S+ \S+)", desk.said)
    assert until is not None
    desk.done("practice", "clock", "--on", "2h")
    desk.done("confirm", domain)


def test_who_uses_a_name_server_is_served_at_its_new_address(desk: Desk) -> None:
    host, domain = f"ns1.{DOMAIN}", "ferrytimes.example"
    where = ("--at", "alder", "--registrar", "flint", "--yes")
    desk.done("hosts", "set", host, "--address", "198.51.100.31", *where)
    desk.done(
        "registration",
        "nameservers",
        domain,
        "--registrar",
        "flint",
        "--ns",
        f"{host},ns2.alder.test",
        "--yes",
        "--wait",
        "--anyway",
    )
    desk.done("amend", domain, "@", "NS", f"{host}.", "ns2.alder.test.", "--at", "alder", "--yes", "--anyway")
    desk.done("practice", "clock", "--on", "1h")
    desk.run("survey", domain)
    desk.done("publish", DOMAIN, "--from", "alder", "--to", "birch", "--yes")
    renumber = ("hosts", "renumber", host, "--replace", "198.51.100.31=198.51.100.41", *where)
    assert desk.run(*renumber) == 4
    assert f"198.51.100.41 does not answer for {domain}, whose NS set names it" in desk.said
    desk.done("publish", domain, "--from", "alder", "--to", "birch", "--yes", "--anyway")
    assert desk.run(*renumber) == 0, desk.said
    desk.done("practice", "zone", "end", domain, "--at", "birch")
    assert desk.run(*renumber, "--wait") == 4 and f"does not answer for {domain}" in desk.said, desk.said
