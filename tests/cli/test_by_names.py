"""A move by hand without a provider or a registrar in the settings: name servers' names instead, and worksheets for
both sides."""

import tomllib
from collections.abc import Iterator
from pathlib import Path

import pytest
import tomli_w

from legatum.core.moves.effects import ZoneMade
from legatum.core.moves.runbook import next_step
from legatum.core.records.name import parse_domain
from legatum.core.zones.masterfile import parse_master
from legatum.demo.world_thread import WorldThread
from legatum.journal.journal import Journal
from legatum.work.movefile import read_move, zone_path
from tests.cli.desk import DOMAIN, Desk

ALDER, BIRCH = "ns1.alder.test,ns2.alder.test", "ns1.birch.example,ns2.birch.example"


@pytest.fixture
def desk(tmp_path: Path) -> Iterator[Desk]:
    with WorldThread(tmp_path / "world") as practice:
        started = Desk(practice)
        path = practice.world.settings_file
        settings = tomllib.loads(path.read_text())
        of_accounts = {**settings, "journal": "elsewhere.sqlite", "moves": "elsewhere"}  # of whoever can log in there
        (path.parent / "accounts.toml").write_text(tomli_w.dumps(of_accounts))
        for table in ("providers", "secondaries", "registrars", "resolvers"):
            del settings[table]
        path.write_text(tomli_w.dumps(settings))
        yield started


def accounts(desk: Desk) -> Desk:
    """With everything that the customer can log in to."""
    found = Desk(desk.practice)
    found.settings = desk.world.folder / "accounts.toml"
    return found


def typed(desk: Desk, place: str) -> str:
    """Somebody does what the last worksheet says, in the form of a provider or of the registrar; the step."""
    move = desk.world.folder / "moves" / f"{DOMAIN}.move.toml"
    runbook = read_move(move)
    step = next_step(runbook, Journal("journal.sqlite", desk.world.folder).outcomes(runbook.id))
    assert step is not None
    sheet = move.with_name(f"{DOMAIN}.{step.id}.md").read_text()
    assert "- [ ] " in sheet
    if step.id == "switch":
        assert "form" in sheet
        accounts(desk).done(
            "registration", "nameservers", DOMAIN, "--to", place, "--registrar", "flint", "--yes", "--anyway"
        )
        return step.id
    (effect,) = step.effects
    assert isinstance(effect, ZoneMade), step
    domain = parse_domain(DOMAIN)

    async def made() -> None:
        desk.world.create_zone(place, domain)
        whole = parse_master(zone_path(move).read_text(), domain, "the gathered zone").with_rrsets(effect.rrsets)
        desk.world.hostings[place][0].serve(whole.with_serial(whole.soa.serial + 1))

    desk.practice.run(made())
    return step.id


def carried_out(desk: Desk, place: str) -> list[str]:
    """The steps that somebody had to type."""
    steps = list[str]()
    for _ in range(30):
        status = desk.run("move", "advance", DOMAIN, "--yes")
        if status == 3 and "the worksheet for it" in desk.said:
            steps.append(typed(desk, place))
        elif "the move is complete" in desk.said:
            return steps
        else:
            assert status == 0 and "holding before step" in desk.said, desk.said
            desk.done("practice", "clock", "--on", "13h")
    raise AssertionError(desk.said)


def test_there_and_back_by_names_alone(desk: Desk) -> None:
    desk.receive()
    desk.done("move", "draft", DOMAIN, "--to", "NS2.birch.example., ns1.Birch.example")  # as people type
    assert f"{DOMAIN} from {ALDER} to {BIRCH}: drafted" in desk.said
    assert (
        "gathered by asking" in desk.said
        and "would be lost" in desk.said
        and f"legatum gather {DOMAIN} --names FILE" in desk.said
    )
    desk.done("move", "rehearse", DOMAIN)
    assert carried_out(desk, "birch") == ["publish", "switch"]
    desk.done("confirm", DOMAIN, "--to", BIRCH)
    desk.done("move", "draft", DOMAIN, "--to", ALDER, "--from", BIRCH, "--registrar", "form")
    carried_out(desk, "alder")
    desk.done("confirm", DOMAIN, "--to", ALDER)
    desk.practice.end_visits()
    assert desk.failures == []


def test_names_that_somebody_knows_are_asked_for_from_then_on(desk: Desk) -> None:
    """What no list of usual names has is not lost once it was gathered."""
    accounts(desk).done("amend", DOMAIN, "brickyard-k7", "A", "198.51.100.80", "--at", "alder", "--yes")
    sheet = desk.world.folder / "moves" / f"{DOMAIN}.publish.md"
    for known in (False, True):
        if known:
            names = desk.world.folder / "names"
            names.write_text("brickyard-k7\n")
            desk.run("gather", DOMAIN, "--names", str(names), "--out", str(desk.world.folder / "all.zone"))
        desk.done("move", "draft", DOMAIN, "--to", BIRCH, "--force")
        assert desk.run("move", "advance", DOMAIN, "--yes") == 3
        assert ("brickyard-k7" in sheet.read_text()) is known


def test_what_is_no_name_server_is_no_provider(desk: Desk) -> None:
    assert desk.run("move", "draft", DOMAIN, "--to", "birch") == 2
    assert "no provider 'birch' in the settings" in desk.said and "ns1.NAME,ns2.NAME" in desk.said
    assert desk.run("move", "draft", DOMAIN, "--to", "ns1.nowhere.example,ns2.nowhere.example") == 3
    assert "ns1.nowhere.example has no address" in desk.said
