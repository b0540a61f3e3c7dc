"""The database of the journal started anew in the holds of a move over real servers, and full in the middle of one."""

import os
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import psycopg
import pytest

from legatum.demo.world_thread import WorldThread
from tests.cli.desk import Desk
from tests.journal.postgresql import BIN, postgresql, restart
from tests.real.lab import Lab
from tests.real.processes import NEEDS_SERVERS, outcome

pytestmark = [
    *NEEDS_SERVERS,
    pytest.mark.skipif(BIN is None and "CI" not in os.environ, reason="needs PostgreSQL"),
    pytest.mark.timeout(200),
]
DOMAIN = "kilnandclay.example"


@pytest.fixture
def lab(tmp_path: Path) -> Iterator[Lab]:
    worker = int(os.environ.get("PYTEST_XDIST_WORKER", "gw9").removeprefix("gw"))
    made = Lab(tmp_path, 110 + worker, {DOMAIN: "bind"})
    try:
        made.start()
        yield made
    finally:
        made.stop()


def test_a_database_that_is_started_anew_in_a_hold(lab: Lab) -> None:
    with postgresql() as url:
        settings = lab.folder / "legatum.toml"
        text = settings.read_text().replace(
            'margin = "1s"', 'margin = "6s"'
        )  # a connection is tried again after five seconds
        settings.write_text(f'journal = "{url}"\n{text}')
        lab.legatum(
            "move",
            "draft",
            DOMAIN,
            "--from",
            "bind",
            "--to",
            "knot",
            "--registrar",
            "flint",
            "--publishing",
            "5s",
            "--speed",
            "lowered",
        )
        words = [
            sys.executable,
            "-m",
            "legatum",
            "move",
            "advance",
            DOMAIN,
            "--yes",
            "--wait",
            "--settings",
            "legatum.toml",
        ]
        holds = 0
        with subprocess.Popen(
            words, cwd=lab.folder, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True
        ) as advance:
            assert advance.stderr is not None
            for line in advance.stderr:
                if "hold until" in line:
                    holds += 1
                    time.sleep(1)
                    restart(url)
            out = advance.communicate()[0]
        assert advance.returncode == 0 and "complete" in out and holds == 2, out
        assert [outcome(each, DOMAIN, 6, False) for each in lab.hostings["bind"].addresses] == [5, 5]
        entries = lab.legatum("move", "status", DOMAIN)
        assert entries["state"] == "complete" and all(step["all"] for step in entries["steps"])


@contextmanager
def small_database(url: str) -> Iterator[tuple[str, Path]]:
    """Of a server, one whose tables have a file system of their own, of 12 MB: its URL, and where that is."""
    folder = Path(url.partition("host=")[2]) / "small"
    folder.mkdir()
    subprocess.run(["mount", "-t", "tmpfs", "-o", "size=12m,mode=777", "tmpfs", str(folder)], check=True)
    try:
        with psycopg.connect(url, autocommit=True) as connection:
            subprocess.run(["install", "-d", "-o", "postgres", str(folder / "tables")], check=True)
            connection.execute(f"CREATE TABLESPACE small LOCATION '{folder / 'tables'}'")
            connection.execute("CREATE DATABASE house TABLESPACE small")
        yield url.replace("/postgres?", "/house?"), folder
        with psycopg.connect(url, autocommit=True) as connection:
            connection.execute("DROP DATABASE house WITH (FORCE)")
    finally:
        subprocess.run(["umount", "-l", str(folder)], check=True)


@pytest.mark.skipif(os.geteuid() != 0, reason="mounts a file system")
def test_a_database_that_is_full_costs_nothing_that_was_done(tmp_path: Path) -> None:
    with postgresql() as url, small_database(url) as (place, folder), WorldThread(tmp_path / "world") as practice:
        desk = Desk(practice)
        desk.settings.write_text(f'journal = "{place}"\n{desk.settings.read_text()}')
        desk.done("move", "draft", DOMAIN, "--to", "birch", "--registrar", "flint")
        changes, update = list[str](), desk.world.registry.domains.update

        def counting(registrar: str, domain: object, change: object) -> object:
            changes.append(str(domain))
            return update(registrar, domain, change)  # type: ignore[arg-type]

        desk.world.registry.domains.update = counting  # type: ignore[method-assign,assignment]
        filler, full = folder / "filler", 0
        for _ in range(60):
            with filler.open("wb", buffering=0) as file:
                try:
                    while file.write(bytes(1 << 16)):
                        pass
                except OSError:
                    pass
            status = desk.run("move", "advance", DOMAIN, "--yes", "--wait")
            assert "Traceback" not in desk.said
            if status == 0:
                break
            assert status == 3 and "No space left" in desk.said and "make room on its disk" in desk.said, desk.said
            full += 1
            filler.unlink()
            assert desk.run("move", "advance", DOMAIN, "--yes") == 0, desk.said  # as far as the next hold
        assert full and status == 0 and len(changes) == 1
