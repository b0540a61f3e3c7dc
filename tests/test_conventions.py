"""What the project holds itself to, looked at in its own files: pages that name every rule, tests that do not lean on the clock."""

import ast
import re
import subprocess
from pathlib import Path

ROOT = Path(__file__).parent.parent
CITED = re.compile(r"\brules? (\d+)(?: and (\d+))?")


def tracked(*patterns: str) -> list[Path]:
    said = subprocess.run(["git", "ls-files", *patterns], cwd=ROOT, capture_output=True, text=True, check=True).stdout
    return [ROOT / line for line in said.splitlines() if (ROOT / line).exists()]


def test_every_rule_that_is_cited_stands_on_the_page() -> None:
    page = (ROOT / "docs" / "timing.md").read_text(encoding="utf-8")
    rules = {int(number) for number in re.findall(r"^(\d+)\. \*\*", page.split("## The rules")[1].split("\n## ")[0], re.M)}
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
        called = [each.func for each in ast.walk(node) if isinstance(each, ast.Call) and isinstance(each.func, ast.Attribute)]
        calls = {f"{each.value.id}.{each.attr}" for each in called if isinstance(each.value, ast.Name)}
        return bool(calls & {"time.time", "time.monotonic", "time.perf_counter"})

    leaning = [
        f"{path.relative_to(ROOT)}:{node.lineno}"
        for path in tracked("tests/*.py")
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8")))
        if isinstance(node, ast.Assert)
        and any(isinstance(each, ast.BinOp) and isinstance(each.op, ast.Sub) and reads_the_clock(each) for each in ast.walk(node))
    ]
    assert leaning == []
