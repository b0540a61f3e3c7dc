"""An advance that waits goes on when the database of its journal was started anew meanwhile, twice, against real servers."""

import os
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

import pytest

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
        text = settings.read_text().replace('margin = "1s"', 'margin = "6s"')  # a connection is tried again after five seconds
        settings.write_text(f'journal = "{url}"\n{text}')
        lab.legatum(
            "move", "draft", DOMAIN, "--from", "bind", "--to", "knot", "--registrar", "flint", "--publishing", "5s", "--pace", "lowered"
        )
        words = [sys.executable, "-m", "legatum", "move", "advance", DOMAIN, "--yes", "--wait", "--settings", "legatum.toml"]
        holds = 0
        with subprocess.Popen(words, cwd=lab.folder, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True) as advance:
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
