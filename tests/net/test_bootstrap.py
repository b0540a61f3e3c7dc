"""The list of registration data servers over HTTPS: kept for a day, taken from the last copy where nothing comes."""

import asyncio
import json
from pathlib import Path

import pytest

from legatum.core.records.name import parse_name
from legatum.net.asking.route import Route
from legatum.net.clock import SystemClock
from legatum.net.registry.bootstrap import fetched_bootstrap
from legatum.practice.certificate import make_certificates
from legatum.practice.web_server import Request, Response, WebServer

URL = "https://list.test/rdap/dns.json"
DOMAIN = parse_name("kilnandclay.example.")
DAY = 86400.0


class Publisher:
    """Serves the list; ``status`` and ``body`` are what it says next, and ``asked`` how often it was."""

    def __init__(self, folder: Path) -> None:
        self.authority, tls = make_certificates(folder, "list.test")
        self.cache = folder / "cache"
        self.status, self.asked, self.body = 200, 0, self.listed("rdap.one.test")
        self._server = WebServer(self._said, tls, SystemClock())

    @staticmethod
    def listed(host: str) -> bytes:
        return json.dumps(
            {"version": "1.0", "services": [[["example"], [f"http://plain.{host}/", f"https://{host}/"]]]}
        ).encode()

    async def _said(self, request: Request) -> Response:
        assert request.path == "/rdap/dns.json"
        self.asked += 1
        return Response(self.status, "application/json", self.body)

    async def at(self, now: float) -> str:
        """Where the domain is asked for, by the list as it is had at that instant; or why it is not had."""
        try:
            found = await fetched_bootstrap(
                Route({"list.test": self._server.endpoint}), URL, self.cache, now, str(self.authority)
            )
        except ValueError as error:
            return str(error)
        return found.url_for(DOMAIN) or "nowhere"

    async def __aenter__(self) -> "Publisher":
        await self._server.open()
        return self

    async def __aexit__(self, *_: object) -> None:
        self._server.close()


def test_fetched_once_a_day_and_kept(tmp_path: Path) -> None:
    async def work() -> None:
        async with Publisher(tmp_path) as publisher:
            first = "https://rdap.one.test/domain/kilnandclay.example"
            assert (
                await publisher.at(1000.0) == first
                and await publisher.at(1000.0 + DAY - 1) == first
                and publisher.asked == 1
            )
            publisher.body = publisher.listed("rdap.two.test")
            assert await publisher.at(1000.0 + DAY) == first.replace("one", "two") and publisher.asked == 2
            assert (
                await publisher.at(500.0) == first.replace("one", "two") and publisher.asked == 3
            )  # the clock was set back

    asyncio.run(work())


@pytest.mark.parametrize(
    ("status", "body"),
    [(500, b""), (404, b"none"), (200, b"<html>"), (200, b"[]"), (200, b'{"services": [["x"]]}'), (200, b"\xff")],
)
def test_the_last_copy_is_better_than_nothing(tmp_path: Path, status: int, body: bytes) -> None:
    async def work() -> None:
        async with Publisher(tmp_path) as publisher:
            good = publisher.body
            publisher.status, publisher.body = status, body
            said = await publisher.at(0.0)
            assert said.startswith(f"the list of registration data servers was not to be had: {URL}: ")
            publisher.status, publisher.body = 200, good
            assert (await publisher.at(0.0)).startswith("https://rdap.one.test/")
            publisher.status, publisher.body = status, body
            assert (await publisher.at(9 * DAY)).startswith("https://rdap.one.test/") and publisher.asked == 3

    asyncio.run(work())


def test_a_copy_that_was_spoilt_is_fetched_anew_and_a_folder_that_cannot_be_is_done_without(tmp_path: Path) -> None:
    async def work() -> None:
        async with Publisher(tmp_path) as publisher:
            await publisher.at(0.0)
            (file,) = publisher.cache.iterdir()
            for spoilt in ("", "{}", '{"fetched": "x", "list": "y"}', '{"fetched": 0, "list": "[]"}'):
                file.write_text(spoilt)
                assert (await publisher.at(1.0)).startswith("https://rdap.one.test/")
            assert publisher.asked == 5
            publisher.cache = file / "below"  # a file is no folder
            assert (await publisher.at(1.0)).startswith("https://rdap.one.test/")

    asyncio.run(work())
