"""The guides hold: every command in them does what it is said to do, in a practice world of its own."""

import re
import shlex
from pathlib import Path

import pytest

from tests.cli.program import PracticeWorld

GUIDES = sorted((Path(__file__).parents[2] / "docs" / "guides").rglob("*.md"))


@pytest.mark.parametrize("guide", GUIDES, ids=lambda path: path.stem)
def test_every_command_of_a_guide_ends_as_it_says(guide: Path, tmp_path: Path) -> None:
    blocks = re.findall(r"^```\n(.*?)^```$", guide.read_text(encoding="utf-8"), re.MULTILINE | re.DOTALL)
    lines = [line for block in blocks for line in block.splitlines()]
    assert len(lines) > 4
    with PracticeWorld(tmp_path / "world") as world:
        shell = world.shell(tmp_path)
        for line in lines:
            command, _, status = line.partition("   # status ")
            words = shlex.split(command)
            ended = (
                shell.run(*words[1:])
                if words[0] == "legatum" and not set("|<>;$") & set(command)
                else shell.typed(command)
            )
            assert ended.status == int(status or 0), (line, ended.out, ended.err)
