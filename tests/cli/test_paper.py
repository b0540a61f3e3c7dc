"""A provider that has only a form: of every kind of move its part is a worksheet, which is watched until somebody has
done it."""

import tomllib
from collections.abc import Iterator
from pathlib import Path

import pytest
import tomli_w

from legatum.core.moves.effects import Effect, Records, ZoneEnded, ZoneMade
from legatum.core.moves.runbook import next_step
from legatum.core.records.name import parse_domain
from legatum.core.zones.masterfile import parse_master
from legatum.demo.kinds import WISHES
from legatum.demo.world_thread import WorldThread
from legatum.journal.journal import Journal
from legatum.work.movefile import read_move, zone_path
from tests.cli.desk import DOMAIN, Desk


class Person:
    """Does at alder's what a worksheet says, and nothing else."""

    def __init__(self, desk: Desk) -> None:
        self.desk, self.move = desk, desk.world.folder / "moves" / f"{DOMAIN}.move.toml"
        self.sheets = 0

    def works(self) -> None:
        """The step that comes next, off its sheet."""
        runbook = read_move(self.move)
        step = next_step(runbook, Journal("journal.sqlite", self.desk.world.folder).outcomes(runbook.id))
        assert step is not None
        sheet = self.move.with_name(f"{DOMAIN}.{step.id}.md").read_text()
        assert sheet.startswith(f"# {DOMAIN} at paper: {step.title}") and "- [ ] " in sheet, sheet
        self.sheets += 1

        async def typed() -> None:
            for effect in step.effects:
                self._do(effect)

        self.desk.practice.run(typed())

    def _do(self, effect: Effect) -> None:
        world, domain = self.desk.world, parse_domain(DOMAIN)
        primary = world.hostings["alder"][0]
        match effect:
            case Records():
                zone = primary.zone(domain)
                assert zone is not None
                changed = zone.without([each.key for each in effect.changed if each.after is None])
                changed = changed.with_rrsets([each.after for each in effect.changed if each.after is not None])
                primary.serve(
                    changed if changed.soa.serial != zone.soa.serial else changed.with_serial(zone.soa.serial + 1)
                )
            case ZoneMade():
                world.create_zone("alder", domain)
                whole = parse_master(zone_path(self.move).read_text(), domain, "the gathered zone").with_rrsets(
                    effect.rrsets
                )
                primary.serve(whole.with_serial(whole.soa.serial + 1))
            case ZoneEnded():
                world.end_zone("alder", domain)


@pytest.fixture
def desk(tmp_path: Path) -> Iterator[Desk]:
    with WorldThread(tmp_path / "world") as practice:
        started = Desk(practice)
        path = practice.world.settings_file
        settings = tomllib.loads(path.read_text())
        alder = settings["providers"].pop("alder")
        settings["providers"]["paper"] = {each: alder[each] for each in ("servers", "primary", "key")} | {
            "kind": "manual",
            "apex_ns": "ours",
        }
        settings["secondaries"]["birch"].pop("catalog", None)
        path.write_text(tomli_w.dumps(settings))
        yield started


def carried_out(desk: Desk, person: Person, *wishes: str) -> None:
    desk.done("move", "draft", DOMAIN, *wishes, "--registrar", "flint", "--speed", "lowered")
    desk.receive()
    for _ in range(40):
        status = desk.run("move", "advance", DOMAIN, "--yes")
        if status == 3 and "the worksheet for it" in desk.said:
            desk.done("house")  # nothing is wrong
            assert "1 waits for a person" in desk.said and "in trouble" not in desk.said, desk.said
            person.works()
        elif "the move is complete" in desk.said:
            break
        else:
            assert status == 0 and "holding before step" in desk.said, desk.said
            desk.done("practice", "clock", "--on", "13h")
    else:
        raise AssertionError(desk.said)
    desk.practice.end_visits()


@pytest.mark.parametrize("kind", [kind for kind in WISHES if kind not in ("combined", "second")])
def test_the_part_of_a_form_is_a_worksheet(desk: Desk, kind: str) -> None:
    person = Person(desk)
    carried_out(desk, person, "--from", "paper", *WISHES[kind])
    assert person.sheets > 0
    if kind == "provider":
        assert desk.world.hostings["alder"][0].zone(parse_domain(DOMAIN)) is None
        carried_out(desk, person, "--from", "birch", "--to", "paper")
        assert desk.world.hostings["birch"][0].zone(parse_domain(DOMAIN)) is None
    if kind != "retirement":
        assert desk.failures == []


def test_what_nothing_shows_of_a_form_rests_on_the_word_of_who_typed_it(tmp_path: Path) -> None:
    """A host that no NS set names, where there are no registration data: neither there nor gone until somebody says
    so."""
    host, domain = "ns1.lanternlane.example", "lanternlane.example"
    with WorldThread(tmp_path / "world") as practice:
        desk = Desk(practice)
        settings = tomllib.loads(desk.settings.read_text())
        del settings["rdap"]
        desk.settings.write_text(tomli_w.dumps(settings))
        words = (
            "hosts",
            "set",
            host,
            "--address",
            "198.51.100.41",
            "--at",
            "birch",
            "--registrar",
            "granite",
            "--yes",
            "--wait",
        )
        for command, step, done in (
            (words, "host-ns1", "the move is complete"),
            (("move", "retreat", domain, "--yes", "--wait"), "host-ns1-back", "every step is taken back"),
        ):
            assert desk.run(*command) == 3 and f"--typed {step}" in desk.said and "not seen → " in desk.said, desk.said
            assert desk.run(*command, "--typed", "other") == 2 and "no step 'other' in this move" in desk.said
            desk.done(*command, "--typed", step)
            assert "as was said; nothing shows it from here" in desk.said and done in desk.said
