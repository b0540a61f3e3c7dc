"""Words of our own: each stands in docs/glossary.md, and none stands there that nobody uses."""

import re
from pathlib import Path

from legatum.core.moves.effects import EFFECTS
from legatum.core.moves.needs import NEEDS
from legatum.core.moves.standing import State

ROOT = Path(__file__).parent.parent
GLOSSARY = (ROOT / "docs" / "glossary.md").read_text()
WORDS = [
    word
    for line in GLOSSARY.splitlines()
    if line.startswith("- ")
    for word in re.findall(r"\*\*(.+?)\*\*", line.partition(": ")[0])
]


def test_every_word_that_files_and_states_are_written_in_is_there() -> None:
    wanted = {*EFFECTS, *NEEDS, *map(str, State)}
    assert not wanted - set(WORDS)


def test_every_kind_of_need_is_called_by_its_class() -> None:
    for tag, kind in NEEDS.items():
        assert f"- **{tag}**: " in GLOSSARY and f"(`{kind.__name__}`)" in GLOSSARY, tag


def test_none_is_there_that_nobody_uses() -> None:
    pages = [path for path in (ROOT / "docs").glob("**/*.md") if path.name != "glossary.md"]
    text = "\n".join(path.read_text() for path in [ROOT / "README.md", *pages, *(ROOT / "src").glob("**/*.py")]).lower()
    unused = [word for word in WORDS if not re.search(rf"\b{re.escape(word)}s?\b", text)]
    assert not unused


def test_each_stands_there_once_and_in_one_line() -> None:
    sections = GLOSSARY.split("\n## ")[1:]
    for section in sections:
        lines = [line for line in section.splitlines() if line.startswith("- ")]
        assert all(": " in line and len(line) < 140 for line in lines)
        words = [word for line in lines for word in re.findall(r"\*\*(.+?)\*\*", line.partition(": ")[0])]
        assert len(words) == len(set(words))
