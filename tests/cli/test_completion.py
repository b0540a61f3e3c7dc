"""Completion in real shells, the manual page, and the program as a module."""

import os
import pty
import re
import select
import shutil
import subprocess
import sys
import time
from pathlib import Path

import pytest

from legatum.cli.program.main import COMMANDS
from tests.cli.program import PROGRAM

ROOT = Path(__file__).parents[2]
NEEDED = bool(os.environ.get("LEGATUM_SERVERS_REQUIRED"))
LINES = {
    "mo": {"move"},
    "fleet su": {"survey"},
    "move draft --speed ": {"lowered", "at-once"},
    "move draft kilnandclay.example --repl": {"--replace"},
    "completion ": {"bash", "zsh", "fish"},
}


@pytest.fixture(params=["bash", "zsh", "fish"])
def shell(request: pytest.FixtureRequest, tmp_path: Path) -> tuple[str, Path]:
    name = str(request.param)
    if shutil.which(name) is None and not NEEDED:
        pytest.skip(f"{name} is not here")
    script = tmp_path / f"legatum.{name}"
    script.write_text(subprocess.run([PROGRAM, "completion", name], capture_output=True, text=True, check=True).stdout)
    return name, script


def proposed(name: str, script: Path, line: str) -> set[str]:
    """What the shell proposes for the last word of a line."""
    if name == "bash":
        words = ["legatum", *line.split(" ")]
        listed = " ".join(f"'{word}'" for word in words)
        asked = (
            f"source {script}; COMP_WORDS=({listed}); COMP_CWORD={len(words) - 1}; _legatum; printf '%s\\n' "
            f'"${{COMPREPLY[@]}}"'
        )
        return set(
            subprocess.run(["bash", "--norc", "-c", asked], capture_output=True, text=True, check=True).stdout.split()
        )
    if name == "fish":
        asked = f"source {script}; complete -C 'legatum {line}'"
        said = subprocess.run(
            ["fish", "--no-config", "-c", asked], capture_output=True, text=True, check=True, cwd=script.parent
        ).stdout
        return {one.split("\t")[0] for one in said.splitlines()}
    return set(in_zsh(script, line).split())


def in_zsh(script: Path, line: str) -> str:
    """What stands after the prompt, and below it, when the tabulator was struck twice."""
    pid, terminal = pty.fork()
    if pid == 0:
        os.environ.update(TERM="dumb", PS1="> ", HOME=str(script.parent))
        os.chdir(script.parent)
        os.execvp("zsh", ["zsh", "-f", "-i"])
    os.write(terminal, f"autoload -Uz compinit; compinit -u -D; source {script}; echo rea''dy\n".encode())
    until(terminal, "ready")
    os.write(terminal, f"legatum {line}\t\t".encode())
    seen = until(terminal, "", quiet=2.0)
    os.write(terminal, b"\x15exit\n")
    os.close(terminal)
    os.waitpid(pid, 0)
    return seen.replace("\x07", "")


def until(terminal: int, word: str, quiet: float = 30.0) -> str:
    """What the terminal shows until a word is there, or, without one, until nothing has come for so many seconds."""
    seen, deadline = "", time.monotonic() + quiet
    while time.monotonic() < deadline and not (word and f"\n{word}" in seen):
        if select.select([terminal], [], [], 0.1)[0]:
            try:
                seen += os.read(terminal, 65536).decode(errors="replace")
            except OSError:
                break
            deadline = time.monotonic() + quiet
    return seen


@pytest.mark.parametrize("line", LINES)
def test_a_shell_completes(shell: tuple[str, Path], line: str) -> None:
    found = proposed(*shell, line)
    assert found >= LINES[line], found


def test_the_manual_page_has_every_command_and_can_be_set() -> None:
    text = (ROOT / "docs" / "legatum.1").read_text()
    assert all(
        f".SS legatum {name}\n" in text.replace("\\-", "-") for name in COMMANDS if name not in ("fleet", "move")
    )
    if shutil.which("groff") is None:
        return
    said = subprocess.run(["groff", "-man", "-Tutf8", "-ww"], input=text, capture_output=True, text=True, check=True)
    assert "legatum move advance" in re.sub(".\x08", "", said.stdout) and "warning" not in said.stderr, said.stderr[
        :400
    ]


def test_the_program_as_a_module() -> None:
    said = subprocess.run([sys.executable, "-m", "legatum", "--version"], capture_output=True, text=True, check=True)
    assert said.stdout == subprocess.run([PROGRAM, "--version"], capture_output=True, text=True, check=True).stdout
