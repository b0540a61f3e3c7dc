"""Ctrl-C, SIGTERM and readers that leave, at any moment: one line, the right status, nothing lost, no traceback and no
hang."""

import os
import random
import signal
import subprocess
import time
from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.cli.program import PROGRAM, PracticeWorld, Shell, heeds_ctrl_c, other_settings

DOMAIN = "kilnandclay.example"
SAID = "legatum: interrupted. What was done stands; the same command goes on from there.\n"


@pytest.fixture(scope="module")
def world(tmp_path_factory: pytest.TempPathFactory) -> Iterator[PracticeWorld]:
    with PracticeWorld(tmp_path_factory.mktemp("world")) as started:
        yield started


@pytest.fixture
def shell(world: PracticeWorld, tmp_path: Path) -> Shell:
    return world.shell(tmp_path)


def begun(shell: Shell, *words: str) -> "subprocess.Popen[str]":
    """Under way, and far enough to hear of an interruption: before that the interpreter itself is being loaded."""
    process = subprocess.Popen(
        [PROGRAM, *words],
        cwd=shell.folder,
        env={**os.environ, **shell.variables, "NO_COLOR": "1"},
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        text=True,
        preexec_fn=heeds_ctrl_c,
    )
    while process.poll() is None:
        lines = Path(f"/proc/{process.pid}/status").read_text().splitlines()
        caught = next((int(line.split()[1], 16) for line in lines if line.startswith("SigCgt")), 0)
        if caught >> (signal.SIGTERM - 1) & 1:
            break
        time.sleep(0.001)
    return process


MOMENTS = [0.0, 0.02, 0.05, 0.1, 0.25, 0.6]  # seconds from then on


@pytest.mark.parametrize(
    "words",
    [
        ("survey", DOMAIN),
        ("confirm", DOMAIN, "--to", "alder"),
        ("move", "advance", DOMAIN, "--dry-run"),
        ("fleet", "survey", "list", "--jobs", "1"),
        ("fleet", "survey", "list", "--jobs", "2"),
    ],
)
def test_at_any_moment(shell: Shell, words: tuple[str, ...]) -> None:
    (shell.folder / "list").write_text("".join(f"d{number}.example\n" for number in range(3000)))
    if words[0] == "move":
        shell.run("move", "draft", DOMAIN, "--from", "alder", "--to", "birch", "--registrar", "flint", "--force")
    chance = random.Random(words[0])
    for moment in MOMENTS:
        process = begun(shell, *words)
        time.sleep(moment)
        process.send_signal(chance.choice([signal.SIGINT, signal.SIGTERM, signal.SIGHUP]))
        _, err = process.communicate(timeout=20)
        if process.returncode in (0, 1):
            assert words[0] != "fleet" and "interrupted" not in err  # it was done before
        else:
            assert (process.returncode, err.count(SAID), "Traceback" in err) == (130, 1, False), (moment, err)


def test_a_reader_that_takes_nothing_holds_up_no_interruption(shell: Shell) -> None:
    (shell.folder / "list").write_text("".join(f"d{number}.example\n" for number in range(3000)))
    process = begun(shell, "fleet", "survey", "list", "--jobs", "1", "--json", "--rate", "0", "-q")
    time.sleep(3)  # the pipe is full: nobody reads
    process.send_signal(signal.SIGINT)
    assert process.wait(20) == 130  # and still nobody does
    assert process.stderr is not None and process.stdout is not None
    assert process.stderr.read() == SAID
    process.stdout.close()


def test_the_status_is_what_was_found_however_much_is_read(shell: Shell) -> None:
    """Output longer than a pipe holds, the first line taken, and one that is short."""
    (shell.folder / "list").write_text("".join(f"d{number}.example\n" for number in range(400)))
    fleet = "fleet survey list --json --rate 0 -q"
    for words, status in (
        (f"survey {DOMAIN} -q", 0),
        (f"confirm {DOMAIN} --to birch -q", 1),
        (fleet, 1),
        ("explain", 0),
    ):
        ended = shell.typed(f"legatum {words} | head -1 >/dev/null; echo ${{PIPESTATUS[0]}}")
        assert (int(ended.out), ended.err) == (status, ""), words


def test_the_same_command_goes_on_after_an_interruption_of_a_hold(shell: Shell, tmp_path: Path) -> None:
    with PracticeWorld(tmp_path / "own") as own:
        there = own.shell(shell.folder)
        draft = (
            "move",
            "draft",
            DOMAIN,
            "--from",
            "alder",
            "--to",
            "birch",
            "--registrar",
            "flint",
            "--speed",
            "lowered",
        )
        assert there.run(*draft).status == 0
        # Without the world's clock the hold is really waited for: long enough to be interrupted in it.
        settings = other_settings(own, tmp_path)
        lines = Path(settings).read_text().splitlines()
        begin = lines.index("[clock]")
        moves = [f'moves = "{own.folder}/moves"', f'journal = "{own.folder}/journal.sqlite"']
        Path(settings).write_text("\n".join(moves + lines[:begin] + lines[begin + 3 :]))
        command = [PROGRAM, "move", "advance", DOMAIN, "--yes", "--wait", "--settings", settings]
        process = subprocess.Popen(
            command,
            cwd=shell.folder,
            stdout=subprocess.PIPE,
            stderr=subprocess.PIPE,
            text=True,
            preexec_fn=heeds_ctrl_c,
        )
        assert process.stderr is not None
        for line in process.stderr:
            if "hold until" in line:
                break
        process.send_signal(signal.SIGINT)
        _, err = process.communicate(timeout=20)
        assert process.returncode == 130 and "interrupted" in err and "Traceback" not in err
        after = there.run("move", "status", DOMAIN, "--json").document
        assert [step["id"] for step in after["steps"] if step["all"]] == ["gather", "publish", "compare", "lower"]
        assert there.run("move", "advance", DOMAIN, "--yes", "--wait", "--json").document["halt"] == "complete"
