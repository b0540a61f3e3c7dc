"""What went wrong once, told to its good end."""

from collections.abc import Iterator
from pathlib import Path
from unittest.mock import Mock

import pytest

from legatum.core.moves.drift.drift import HandedOn
from legatum.core.records.name import parse_domain
from legatum.core.running.fault import OutsideFault
from legatum.demo.world_thread import WorldThread
from legatum.work.moves.observation_cache import ObservationCache
from tests.cli.desk import DOMAIN, Desk

THERE = ("--registrar", "flint", "--speed", "lowered")


@pytest.fixture(scope="module")
def desk(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Desk]:
    with WorldThread(tmp_path_factory.mktemp("stories") / "world") as practice:
        yield Desk(practice)


def test_the_two_sides_the_wrong_way_round(desk: Desk) -> None:
    assert desk.run("move", "draft", DOMAIN, "--from", "birch", "--to", "alder", *THERE) == 4
    assert "is delegated to ns1.alder.test, ns2.alder.test, not to birch's" in desk.said


def test_a_second_provider_that_never_was(desk: Desk) -> None:
    desk.done("second", "leave", DOMAIN, "--at", "alder", "--second", "birch", "--registrar", "flint", "--yes")
    assert (
        "nothing to do" in desk.said and "is no second provider" in desk.said and "does not serve the zone" in desk.said
    )


def test_a_way_back_has_a_picture_a_calendar_and_a_population_too(desk: Desk, tmp_path: Path) -> None:
    desk.done("move", "draft", DOMAIN, "--to", "birch", *THERE)
    assert desk.run("move", "draft", DOMAIN, "--to", "birch", *THERE) == 2
    assert "there is a move of this domain already: from alder to birch, drafted 20" in desk.said
    desk.done("move", "advance", DOMAIN, "--yes", "--wait", "--until", "switch")
    desk.done("move", "retreat", DOMAIN, "--yes")
    desk.done("move", "show", DOMAIN, "--picture", str(tmp_path / "back.png"))
    assert (tmp_path / "back.png").read_bytes().startswith(b"\x89PNG")
    desk.done("move", "show", DOMAIN, "--calendar", "-")
    assert f"legatum move retreat {DOMAIN}" in desk.said.replace("\n ", "").replace("\r", "")
    back = desk.world.folder / "moves" / f"{DOMAIN}.retreat.toml"
    desk.done("move", "rehearse", str(back), "--population", "1000")
    desk.done("move", "retreat", DOMAIN, "--yes", "--wait")


def test_a_ttl_that_somebody_lowers_further_costs_no_second_day(tmp_path: Path) -> None:
    """What was waited for since our own lowering counts on: nobody holds the old copy any longer because of it."""
    with WorldThread(tmp_path / "world") as practice:
        desk, domain = Desk(practice), parse_domain(DOMAIN)
        began = practice.world.clock.now()
        desk.done("move", "draft", DOMAIN, "--to", "birch", *THERE)
        desk.done("move", "advance", DOMAIN, "--yes", "--until", "lower")
        primary = practice.world.hostings["alder"][0]
        zone = primary.zone(domain)
        assert zone is not None and zone.apex_ns is not None

        async def lowered() -> None:
            # type: ignore[union-attr]
            primary.serve(zone.with_rrsets([zone.apex_ns.with_ttl(60)]).with_serial(zone.soa.serial + 1))

        practice.run(lowered())
        assert (
            desk.run("move", "advance", DOMAIN, "--yes", "--wait") == 4
            and "is now 60; the plan rests on 300" in desk.said
        )
        desk.done("move", "redraw", DOMAIN)
        desk.done("move", "rehearse", DOMAIN)
        desk.done("move", "advance", DOMAIN, "--yes", "--wait", "--until", "apex")
        assert practice.world.clock.now() < began + 25 * 3600
        desk.done("move", "retreat", DOMAIN, "--yes", "--wait")
        after = primary.zone(domain)
        assert after is not None and after.apex_ns == zone.apex_ns.with_ttl(86400)


def test_what_could_not_be_seen_is_waited_for_anew(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Somebody may have undone it, and done it again, before it is seen the next time."""

    async def silent(*_: object) -> HandedOn:
        return HandedOn({}, ("192.0.2.11",))

    with WorldThread(tmp_path / "world") as practice:
        desk = Desk(practice)
        desk.receive()
        desk.done("move", "draft", DOMAIN, "--to", "birch", *THERE)
        desk.done("move", "advance", DOMAIN, "--yes", "--wait", "--until", "raise")
        with monkeypatch.context() as patched:
            patched.setattr(ObservationCache, "delegation", silent)
            assert desk.run("move", "advance", DOMAIN, "--yes") == 4
            assert "192.0.2.11 of the parent's servers does not answer: whom it leads where is not known" in desk.said
        desk.done("move", "advance", DOMAIN, "--yes")
        assert "holding before step 'confirm'" in desk.said or "holding before step 'end'" in desk.said, desk.said
        desk.done("move", "advance", DOMAIN, "--yes", "--wait")
        assert desk.failures == []


def test_a_registry_that_refuses_after_the_zone_was_changed(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Only the registry has changed nothing: the address is in the zone, and the same command goes on from there."""
    with WorldThread(tmp_path / "world") as practice:
        desk, trouble = Desk(practice), practice.world.registry.trouble
        words = (
            "hosts",
            "set",
            f"ns1.{DOMAIN}",
            "--address",
            "198.51.100.31",
            "--at",
            "alder",
            "--registrar",
            "flint",
            "--yes",
        )
        for typed, says in (
            ([False], "declined, nothing was changed"),
            ([True, False], "declined; the steps before it are done"),
        ):
            with monkeypatch.context() as patched:
                patched.setattr("legatum.cli.moves.moving.agreed", Mock(side_effect=typed))
                assert desk.run(*words) == 4 and says in desk.said, desk.said
        desk.done("move", "retreat", DOMAIN, "--yes", "--wait")
        trouble.refuse, trouble.times = "create", 1
        assert (
            desk.run(*words) == 3
            and "the registry has changed nothing" in desk.said
            and "nothing was changed" not in desk.said
        )
        desk.done("move", "status", DOMAIN)
        assert "1 of 2 steps done" in desk.said
        desk.done(*words)
        assert "the move is complete" in desk.said


def held_until(desk: Desk, *words: str) -> str:
    """The instant of the hold that the command stops at."""
    desk.done(*words)
    assert "holding before step" in desk.said, desk.said
    return desk.said.rpartition(" until 20")[2][:17] if " until 20" in desk.said else ""


def test_a_step_wanted_again_and_found_as_it_was_restarts_no_hold(tmp_path: Path) -> None:
    """Nobody handed the old TTL out since; one whose intent is all that is known may have led somebody, and is not
    wanted again."""
    with WorldThread(tmp_path / "world") as practice:
        desk = Desk(practice)
        desk.done("move", "draft", DOMAIN, "--to", "birch", *THERE)
        desk.done("move", "advance", DOMAIN, "--yes", "--until", "lower")
        desk.done("practice", "clock", "--on", "2h")
        since = held_until(desk, "move", "advance", DOMAIN, "--yes")
        assert "with a TTL of 86400 until" in desk.said
        for step in ("publish", "lower"):
            assert held_until(desk, "move", "advance", DOMAIN, "--yes", "--again", step) == since, desk.said
        desk.done("practice", "clock", "--on", "1d")
        with pytest.MonkeyPatch.context() as patched:
            patched.setattr(
                "legatum.work.moves.effects.records.carry_out", Mock(side_effect=OutsideFault("the line is cut"))
            )
            assert desk.run("move", "advance", DOMAIN, "--yes") == 3 and "the line is cut" in desk.said
        assert desk.run("move", "advance", DOMAIN, "--yes", "--again", "publish") == 2
        assert "the step 'apex' is begun: both sides are in use" in desk.said


def test_a_host_in_use_whose_address_is_replaced_is_held_by_the_ttls_that_it_had(tmp_path: Path) -> None:
    """Whichever command replaces it, and whatever is lowered later."""
    one, two = f"ns1.{DOMAIN}", f"ns2.{DOMAIN}"
    where = ("--at", "alder", "--registrar", "flint", "--yes")
    with WorldThread(tmp_path / "world") as practice:
        desk = Desk(practice)
        for host, address in ((one, "198.51.100.31"), (two, "203.0.113.32")):
            desk.done("hosts", "set", host, "--address", address, *where)
        desk.done("hosts", "enlist", one, two, "--alone", "--wait", *where)
        since = held_until(desk, "hosts", "set", two, "--address", "2001:db8:a2::53", *where)
        assert "holding before step 'confirm-ns2'" in desk.said and "with a TTL of 3600 (rule 10" in desk.said
        renumber = ("hosts", "renumber", two, "--replace", "203.0.113.32=2001:db8:a2::53", *where)
        assert held_until(desk, *renumber) == since
        lower = ("amend", DOMAIN, "ns2", "AAAA", "--ttl", "60", "--at", "alder", "--yes")
        assert desk.run(*lower) == 4 and "an edit beside the move would undo it" in desk.said
        desk.done(*lower, "--anyway")
        assert (
            desk.run(*renumber) == 4
            and "is now 60; the plan rests on 3600" in desk.said
            and f"move redraw {DOMAIN}" in desk.said
        )
        desk.done("move", "redraw", DOMAIN)
        assert held_until(desk, *renumber) == since
        desk.done(*renumber, "--wait")
        assert "the move is complete" in desk.said


def test_a_domain_that_only_one_of_the_parents_servers_has_is_not_denied(tmp_path: Path) -> None:
    """Just registered: whichever server is asked first, a name in it is told by what those say that refer."""
    with WorldThread(tmp_path / "world") as practice:
        desk = Desk(practice)
        top, domain = parse_domain("example"), parse_domain("quayside.example")
        first, second = desk.world.hostings["example"]

        async def half() -> None:
            before = first.zone(top)
            assert before is not None
            desk.world.registry.register(
                domain, "flint", [parse_domain(f"ns{number}.alder.test") for number in (1, 2)], 86400.0, ()
            )
            desk.world.registry.publisher._out.pop(domain)
            desk.world.create_zone("alder", domain)
            second.drop(top)
            await desk.world.registry.publisher.publish(domain)
            after = first.zone(top)
            assert after is not None
            first.serve(before.with_serial(after.soa.serial + 1))
            second.serve(after)

        desk.practice.run(half())
        for name in ("a.b", "c.d", "e.f", "g.h", "i.j", "k.l"):
            desk.run("survey", f"{name}.quayside.example", "--no-rdap", "--no-resolvers")
            assert "The parent, .example, hands out" not in desk.said or "[parents-disagree]" in desk.said, desk.said
            assert "no-such-domain" not in desk.said or "The parent, .quayside.example" in desk.said
