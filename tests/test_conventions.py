"""What the project holds itself to, looked at in its own files: pages that name every rule, tests that do not rely on
the clock."""

import ast
import re
import shlex
import subprocess
from pathlib import Path

import pytest

from legatum.cli.program.main import COMMANDS, parser_of

ROOT = Path(__file__).parent.parent
CITED = re.compile(r"\brules? (\d+)(?: and (\d+))?")


def tracked(*patterns: str) -> list[Path]:
    said = subprocess.run(["git", "ls-files", *patterns], cwd=ROOT, capture_output=True, text=True, check=True).stdout
    return [ROOT / line for line in said.splitlines() if (ROOT / line).exists()]


def test_every_rule_that_is_cited_stands_on_the_page() -> None:
    page = (ROOT / "docs" / "timing.md").read_text(encoding="utf-8")
    rules = {
        int(number) for number in re.findall(r"^(\d+)\. \*\*", page.split("## The rules")[1].split("\n## ")[0], re.M)
    }
    assert rules == set(range(1, 17))
    cited = {
        int(number)
        for path in tracked("src/*.py", "docs/*.md", "README.md")
        for found in CITED.findall(path.read_text(encoding="utf-8"))
        for number in found
        if number
    }
    assert len(cited) > 5 and cited <= rules


def test_no_test_judges_by_how_long_something_took() -> None:
    """A machine may be slow for any while: deadlines end a wait, but what passed until then proves nothing."""

    def reads_the_clock(node: ast.AST) -> bool:
        called = [
            each.func for each in ast.walk(node) if isinstance(each, ast.Call) and isinstance(each.func, ast.Attribute)
        ]
        calls = {f"{each.value.id}.{each.attr}" for each in called if isinstance(each.value, ast.Name)}
        return bool(calls & {"time.time", "time.monotonic", "time.perf_counter"})

    relying = [
        f"{path.relative_to(ROOT)}:{node.lineno}"
        for path in tracked("tests/*.py")
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8")))
        if isinstance(node, ast.Assert)
        and any(
            isinstance(each, ast.BinOp) and isinstance(each.op, ast.Sub) and reads_the_clock(each)
            for each in ast.walk(node)
        )
    ]
    assert relying == []


def part_text(part: ast.expr) -> str:
    if isinstance(part, ast.FormattedValue):
        return f"{{{ast.unparse(part.value)}}}"
    return str(part.value) if isinstance(part, ast.Constant) else ""


def texts(path: Path) -> list[str]:
    """Every text of a module but those that explain the code; what is put in when it runs stands in braces."""
    tree = ast.parse(path.read_text(encoding="utf-8"))
    nodes = list(ast.walk(tree))
    explaining = {id(each.value) for each in nodes if isinstance(each, ast.Expr)}
    parts = {
        id(part) for each in nodes if isinstance(each, ast.JoinedStr) for part in ast.walk(each) if part is not each
    }
    found = []
    for node in nodes:
        if id(node) in explaining | parts:
            continue
        if isinstance(node, ast.JoinedStr):
            found.append("".join(map(part_text, node.values)))
        elif isinstance(node, ast.Constant) and isinstance(node.value, str):
            found.append(node.value)
    return found


ADVICE = sorted(
    {
        command
        for path in tracked("src/*.py")
        for text in texts(path)
        for command in re.findall(r"`(legatum [^`]*)`", text)
    },
)


@pytest.mark.parametrize("command", ADVICE)
def test_every_command_that_is_advised_can_be_typed(command: str) -> None:
    """What is known is filled in, the rest stands in capitals: the program takes it, with all that it needs."""
    assert "…" not in command
    filled = re.sub(r"\{[^{}]*_verb[^{}]*\}", "advance", command).replace("{PRESENT}", "3")
    words = shlex.split(re.sub(r"\{+.*?\}+", "example", filled))[1:]
    if words != ["--help"]:
        parser_of(words)[0].parse_args(words)


def test_commands_stand_between_marks() -> None:
    """So that a reader sees where they end, and the test above finds them."""
    bare = re.compile(rf"legatum (?:{'|'.join(COMMANDS)})\b")
    loose = [
        f"{path.name}: {text}"
        for path in tracked("src/*.py")
        for text in texts(path)
        if bare.search(re.sub("`[^`]*`", "", text))
    ]
    assert loose == [] and len(ADVICE) > 60


def test_sentences_of_the_readme_are_found_in_their_files() -> None:
    """Each of the table stands in README.md, and its file is there."""
    readme = " ".join((ROOT / "README.md").read_text().split()).lower()
    table = (ROOT / "docs" / "architecture.md").read_text().partition("## From a sentence")[2].partition("\n## ")[0]
    rows = re.findall(r"^\| (.+) \| `([\w/]+\.py)` \|$", table, re.MULTILINE)
    assert len(rows) >= 20
    assert not [sentence for sentence, _ in rows if sentence.lower() not in readme]
    assert not [file for _, file in rows if not (ROOT / "src" / "legatum" / file).is_file()]


def test_folders_stay_small() -> None:
    """But for those of one thing, one file; ``core`` has nothing but folders."""
    counts = {
        folder.relative_to(ROOT / "src" / "legatum").as_posix(): len([*folder.glob("[!_]*.py")])
        for folder in (ROOT / "src" / "legatum").rglob("*")
        if folder.is_dir() and folder.name not in ("kinds", "effects")
    }
    assert counts["core"] == 0
    assert {folder: count for folder, count in counts.items() if count > 14} == {}
