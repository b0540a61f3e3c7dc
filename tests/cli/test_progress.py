"""A bar where work takes long and somebody looks: on a terminal, and nowhere else."""

import io
import sys
from pathlib import Path

import pytest

from legatum.cli.program.main import main
from legatum.cli.program.progress import bar_text
from legatum.core.running.progress import Progress, tally


class Terminal(io.StringIO):
    def isatty(self) -> bool:
        return True


def test_a_long_check_shows_how_far_it_is_and_leaves_nothing_behind(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = tmp_path / "big.zone"
    head = "$ORIGIN big.example.\n@ 60 SOA ns1 host 1 7200 3600 1209600 60\n@ 60 NS ns1\nns1 60 A 192.0.2.1\n"
    path.write_text(head + "".join(f"h{number} 60 A 192.0.2.{number % 250}\n" for number in range(40_000)))
    monkeypatch.setattr("legatum.cli.program.progress._AFTER", 0.0)
    monkeypatch.setattr("legatum.cli.program.progress._AGAIN", 0.01)
    for shown, words in ((True, ()), (False, ("-q",))):
        monkeypatch.setattr(sys, "stderr", terminal := Terminal())
        main(["lint", str(path), *words])
        said = terminal.getvalue()
        assert ("reading" in said and "% " in said and "left" in said) == shown and (
            "checking for each finding" in said
        ) == shown
        assert not shown or said.endswith("\r\x1b[K")
    monkeypatch.setattr(sys, "stderr", piped := io.StringIO())
    main(["lint", str(path)])
    assert piped.getvalue() == ""


def test_what_the_bar_says() -> None:
    counted = Progress()
    counted.begin("reading\x1b[2J it", 1000, "records")
    counted.done = 250
    assert bar_text(counted, 5.0).startswith("██████░░░░░░░░░░░░░░░░░░  25% reading")
    assert "250 of 1,000 records, 15 s left" in bar_text(counted, 5.0) and "\x1b" not in bar_text(counted, 5.0)
    counted.begin("a transfer", unit="records")
    assert bar_text(counted, 3.0) == "a transfer: 3 s"
    counted.done = 6000
    assert bar_text(counted, 3.0) == "a transfer: 3 s, 6,000 records, 2,000 a second"
    tally().begin("nobody looks")  # and nothing comes of it
    assert tally() is tally()
