"""Commands of a house in any order: moved there and back, edited, broken off, waited - and after each an independent
look.

No visitor fails that a plan calls safe, and no instant that was announced is too early: when it has come, every
resolver, whichever it asked and whenever, gives what is served.
"""

import json
import random
from pathlib import Path
from typing import Any

import pytest

from legatum.core.calendar.instant import parse_instant
from legatum.core.records.name import parse_domain
from legatum.core.records.rrtype import A
from legatum.demo.world_thread import WorldThread
from legatum.services.update_provider import DynamicUpdateProvider
from tests.cli.desk import DOMAIN, Desk

NAME = f"shop.{DOMAIN}"
COMMANDS = 9


class House:
    """One domain in a practice world, and what was announced of it: ``gone``, when nobody holds what was there
    before."""

    def __init__(self, desk: Desk, chance: random.Random) -> None:
        self.desk, self.chance = desk, chance
        self.at, self.address, self.gone = "alder", "198.51.100.81", 0.0
        self.moving = False

    @property
    def other(self) -> str:
        return "birch" if self.at == "alder" else "alder"

    def _edit(self, *words: str) -> None:
        for place in [self.at, self.other] if self.moving else [self.at]:
            self.desk.run("amend", DOMAIN, "shop", "A", *words, "--at", place, "--yes", "--anyway")
        announced = self._json("timetable", DOMAIN, "--change", "shop A")
        if announced is not None:
            self.gone = parse_instant(announced["gone"])

    def _json(self, *words: str) -> dict[str, Any] | None:
        status = self.desk.run(*words, "--json", "-q")
        return dict(json.loads(self.desk.said)) if status in (0, 1) else None

    def edited(self) -> None:
        self.address = f"198.51.100.{self.chance.randrange(82, 90)}"
        self._edit(self.address)

    def with_another_ttl(self) -> None:
        self._edit("--ttl", self.chance.choice(["30", "300", "3600", "4h"]))

    def lowered_too_late(self) -> None:
        """As people do: the TTL down, and at once the change; who asked before keeps the old answer for as long as
        ever."""
        self._edit("--ttl", "4h")
        self.desk.done("practice", "clock", "--on", "20m")
        self._edit("--ttl", "30")
        self.edited()
        self.desk.done("practice", "clock", "--on", self.chance.choice(["20m", "1h"]))

    def broken_off(self) -> None:
        """Once the server has it."""
        apply, address = DynamicUpdateProvider.apply, f"198.51.100.{self.chance.randrange(82, 90)}"

        async def cut(provider: DynamicUpdateProvider, *words: Any) -> str:
            await apply(provider, *words)
            raise KeyboardInterrupt

        if self.moving:
            return
        with pytest.MonkeyPatch.context() as patched, pytest.raises(KeyboardInterrupt):
            patched.setattr(DynamicUpdateProvider, "apply", cut)
            self.desk.run("amend", DOMAIN, "shop", "A", address, "--ttl", "60", "--at", self.at, "--yes", "--anyway")
            raise KeyboardInterrupt  # it was so already
        self.address = address
        self._edit(address)

    def begun(self) -> None:
        words = (
            "move",
            "draft",
            DOMAIN,
            "--from",
            self.at,
            "--to",
            self.other,
            "--registrar",
            "flint",
            "--publishing",
            "4m",
            "--force",
        )
        if not self.moving and self.desk.run(*words) == 0:
            self.moving = True

    def gone_on(self) -> None:
        if self.moving:
            until = self.chance.choice(["lower", "ready", "apex", "switch", "parents"])
            self.desk.run(
                "move",
                "advance",
                DOMAIN,
                "--yes",
                *(("--wait", "--until", until) if self.chance.random() < 0.6 else ()),
            )

    def completed(self) -> None:
        if self.moving:
            self.desk.done("move", "advance", DOMAIN, "--yes", "--wait")
            self.at, self.moving = self.other, False

    def taken_back(self) -> None:
        if self.moving and self.desk.run("move", "retreat", DOMAIN, "--yes", "--wait") == 0:
            self.moving = False

    def waited(self) -> None:
        self.desk.done("practice", "clock", "--on", self.chance.choice(["1m", "20m", "2h", "9h"]))

    def look(self) -> None:
        """Independent of the program: what visitors got, and what every resolver gives once everybody should have
        it."""
        assert not self.desk.failures, self.desk.failures[:2]
        if self.desk.world.clock.now() < self.gone:
            return
        served = {each.zone(parse_domain(DOMAIN)) for each in self.desk.world.hostings[self.at]}
        for zone in served:
            assert zone is not None
            shop = zone.get(parse_domain(NAME), A)
            assert shop is not None and [".".join(map(str, each)) for each in shop.rdatas] == [self.address]
        confirmed = self._json("confirm", DOMAIN, "--record", f"shop A {self.address}")
        assert confirmed is not None
        late = [each for each in confirmed["checks"] if each["party"] == "resolver" and not each["agrees"]]
        assert not late, (self.gone, self.desk.world.clock.now(), late)


@pytest.mark.timeout(240)
@pytest.mark.parametrize("seed", range(3))
def test_any_order_of_commands(tmp_path: Path, seed: int) -> None:
    with WorldThread(tmp_path / "world") as practice:
        desk, chance = Desk(practice), random.Random(seed)
        desk.receive()
        house = House(desk, chance)
        ways = (
            house.edited,
            house.with_another_ttl,
            house.broken_off,
            house.begun,
            house.begun,
            house.gone_on,
            house.gone_on,
            house.completed,
            house.taken_back,
            house.waited,
            house.lowered_too_late,
            house.lowered_too_late,
        )
        house.waited()
        done = list[str]()
        for way in chance.choices(ways, k=COMMANDS):
            done.append(way.__name__)
            way()
            house.look()
        house.completed()
        desk.done("practice", "clock", "--on", "2d")
        house.look()
        assert len(done) == COMMANDS
