"""The registrar's side when answers are lost or registries say one thing and do another: nothing is done twice, and the journal knows."""

import asyncio
from collections.abc import Iterable
from pathlib import Path

import pytest

from legatum.core.fault import OutsideFault
from legatum.core.name import Name, parse_name
from legatum.journal.journal import Journal
from legatum.net.asker import Asker
from legatum.net.clock import SystemClock
from legatum.net.route import Route
from legatum.services.registrar import HostObject, Registration
from legatum.settings.document import Network, Settings
from legatum.work.outside import Outside
from legatum.work.registration import change_nameservers, renew

DOMAIN = parse_name("kilnandclay.example.")
OLD, NEW = (parse_name("ns1.alder.test."),), (parse_name("ns1.birch.example."),)


class Account:
    """A registrar whose answer to the first command is lost (``loses``), or which says yes and does nothing (``lies``)."""

    name, by_hand = "flint", False

    def __init__(self, loses: bool = False, lies: bool = False) -> None:
        self.loses, self.lies = loses, lies
        self.years, self.servers, self.commands = 2031, OLD, 0

    async def registration(self, domain: Name) -> Registration:
        return Registration(domain, "flint", self.servers, ("ok",), f"{self.years}-03-04T14:05:12Z")

    async def renew(self, domain: Name, expires: str, years: int) -> str:
        self.years += 0 if self.lies else years
        return self._answer()

    async def change_nameservers(self, domain: Name, add: Iterable[Name], remove: Iterable[Name]) -> str:
        if not self.lies:
            self.servers = tuple(sorted((set(self.servers) - set(remove)) | set(add)))
        return self._answer()

    def _answer(self) -> str:
        self.commands += 1
        if self.loses and self.commands == 1:
            raise OutsideFault("epp.nic.example: the connection dropped", "look what the registry holds before trying again")
        return "done (1000)"

    async def change_statuses(self, domain: Name, add: Iterable[str], remove: Iterable[str]) -> str:
        return self._answer()

    async def host(self, name: Name) -> HostObject | None:
        return None

    async def change_host(self, name: Name, add: Iterable[str], remove: Iterable[str], create: bool) -> str:
        return self._answer()

    async def delete_host(self, name: Name) -> str:
        return self._answer()


def outside(folder: Path) -> Outside:
    clock = SystemClock()
    return Outside(Settings(network=Network(roots={})), folder, clock, Asker(Route({}), clock), {})


def test_a_renewal_whose_answer_was_lost_is_not_sent_again(tmp_path: Path) -> None:
    async def whole() -> None:
        here, account = outside(tmp_path), Account(loses=True)
        with pytest.raises(OutsideFault, match="connection dropped"):
            await renew(here, account, DOMAIN, 1)
        outcome, until = await renew(here, account, DOMAIN, 1)
        assert "had taken effect" in outcome.summary and until.startswith("2032") and account.commands == 1
        again, until = await renew(here, account, DOMAIN, 1)  # that one is settled: this is a new wish
        assert account.commands == 2 and until.startswith("2033") and "1000" in again.summary
        kinds = [entry.kind for entry in Journal(here.settings.journal, tmp_path).entries(DOMAIN) if entry.step == "renew"]
        assert kinds == ["intent", "failed", "outcome", "intent", "outcome"]

    asyncio.run(whole())


def test_a_registry_that_says_yes_and_does_nothing_is_told(tmp_path: Path) -> None:
    async def whole() -> None:
        here, account = outside(tmp_path), Account(lies=True)
        with pytest.raises(OutsideFault, match="still expires"):
            await renew(here, account, DOMAIN, 1)
        with pytest.raises(OutsideFault, match=r"but holds ns1\.alder\.test"):
            await change_nameservers(here, account, DOMAIN, NEW)
        kinds = [(entry.step, entry.kind) for entry in Journal(here.settings.journal, tmp_path).entries(DOMAIN)]
        assert kinds == [("renew", "intent"), ("renew", "failed"), ("nameservers", "intent"), ("nameservers", "failed")]

    asyncio.run(whole())
