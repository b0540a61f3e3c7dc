"""How many small changes of the logic the tests notice (mutation testing): `make mutants`, or `tools/mutants.py
core/dnssec wire` for these parts alone, with what was found of the others before.

One change at a time is made in the parts that [tool.mutmut] in pyproject.toml names - a comparison, a constant, a
condition, an argument, an assignment -, and the tests that reach it are run, the quickest first, until one fails. What
the type checker refuses counts as noticed: it is part of `make test`. Texts are left alone: what people read is held by
the tests of pages and commands. Of tests that take long together only the quickest are run: all of them notice rather
more than is said here.

The library makes the changes. They are tried here, all from one process that has loaded every test, each in a fork of
it: loading the tests takes longer than most changes live. What was found is in build/mutants, and as a list in
docs/mutants.md.
"""

import ast
import difflib
import gc
import json
import os
import resource
import shutil
import sys
import time
from collections import Counter, defaultdict
from collections.abc import Iterable, Iterator
from contextlib import redirect_stdout, suppress
from functools import _lru_cache_wrapper
from itertools import accumulate
from pathlib import Path
from typing import Any

import pytest
from mutmut.__main__ import (
    copy_also_copy_files,
    copy_src_dir,
    create_mutants,
    setup_source_paths,
    store_lines_covered_by_tests,
)
from mutmut.configuration import config
from mutmut.mutation import mutators
from mutmut.mutation.file_mutation import filter_mutants_with_type_checker
from mutmut.mutation.trampoline import set_mutant_under_test
from mutmut.state import state
from mutmut.utils.format_utils import mangled_name_from_mutant_name

ROOT = Path(__file__).parent.parent
PLACE = ROOT / "build" / "mutants"
_RESULTS = PLACE / "results.json"
_COPIED = ("src", "tests", "tools", "docs", "README.md", "CHANGELOG.md", "pyproject.toml", "Makefile")
_SIDE_BY_SIDE = os.cpu_count() or 2
_PATIENCE, _LEAST = 4, 20  # times what the tests take without a change, and seconds at least
# seconds that the tests of a change may take together, the quickest first; the first one runs whatever it takes
_TRIED_FOR = 6.0
_SAVED_EVERY = 30.0  # seconds
_FAILED, _NOTICED = 1, ("killed", "types", "time")


def main() -> int:
    known = json.loads(_RESULTS.read_text()) if sys.argv[1:] and _RESULTS.exists() else {}
    shutil.rmtree(PLACE, ignore_errors=True)
    PLACE.mkdir(parents=True)
    for each in _COPIED:
        (shutil.copytree if (ROOT / each).is_dir() else shutil.copy)(ROOT / each, PLACE / each)
    os.chdir(PLACE)
    operators = [pair for pair in mutators.mutation_operators if pair[1] is not mutators.operator_string]
    mutators.mutation_operators[:] = operators
    with Path(os.devnull).open("w") as nowhere, redirect_stdout(nowhere):
        Path("mutants").mkdir()
        copy_src_dir()
        copy_also_copy_files()
        setup_source_paths()
        store_lines_covered_by_tests()
        create_mutants(_SIDE_BY_SIDE)
    names = [
        name
        for file in sorted(Path("mutants").glob("src/**/*.meta"))
        for name in json.loads(file.read_text())["exit_code_by_key"]
    ]
    wanted = [
        each
        for each in names
        if not sys.argv[1:] or any(f".{part.replace('/', '.')}." in each for part in sys.argv[1:])
    ]
    print(f"{len(wanted)} changes; asking the type checker …", flush=True)
    refused = set(filter_mutants_with_type_checker())
    print(f"{len(refused & set(wanted))} of them refused; running the tests without a change …", flush=True)
    trial = Trial(wanted, refused)
    os.chdir("mutants")
    selection = config().pytest_add_cli_args_test_selection
    pytest.main(
        ["-q", "--no-header", "-p", "no:cacheprovider", "-p", "no:randomly", "--rootdir=.", *selection], plugins=[trial]
    )
    os.chdir(ROOT)
    report({name: found for name in names if (found := trial.results.get(name, known.get(name, "")))}, len(names))
    return 0


class Trial:
    """In place of pytest's own loop: every test once, to see what it reaches and how long it takes; then every change
    in a fork."""

    def __init__(self, wanted: list[str], refused: set[str]) -> None:
        self.wanted, self.refused = wanted, refused
        self.results: dict[str, str] = {}
        self._failed = False
        self._took = Counter[str]()
        self._saved = time.monotonic()

    def pytest_runtest_logreport(self, report: pytest.TestReport) -> None:
        self._failed |= report.failed
        self._took[report.nodeid] += report.duration

    @pytest.hookimpl(tryfirst=True)
    def pytest_runtestloop(self, session: pytest.Session) -> bool:
        reach = self._reached(session.items)
        if self._failed:
            print("a test fails without any change: mend that first")
            return True
        caches = [
            each
            for each in gc.get_objects()
            if isinstance(each, _lru_cache_wrapper) and each.__module__.startswith("legatum.")
        ]
        waiting = dict[int, str]()
        print(f"{len(session.items)} tests; trying the changes …", flush=True)
        for name in self.wanted:
            items = sorted(reach.get(mangled_name_from_mutant_name(name), ()), key=lambda each: self._took[each.nodeid])
            takes = list(accumulate(self._took[each.nodeid] for each in items))
            items = [each for each, seconds in zip(items, takes, strict=True) if seconds <= _TRIED_FOR] or items[:1]
            if name in self.refused:
                self.results[name] = "types"
            elif not items:
                self.results[name] = "not reached"
            else:
                waiting[self._begun(name, items, caches)] = name
                while len(waiting) >= _SIDE_BY_SIDE:
                    self._await_one(waiting)
        while waiting:
            self._await_one(waiting)
        return True

    def _reached(self, items: list[pytest.Item]) -> dict[str, list[pytest.Item]]:
        """Function → tests."""
        found = defaultdict[str, list[pytest.Item]](list)
        set_mutant_under_test("stats")
        for item, following in zip(items, [*items[1:], None], strict=True):
            state()._stats.clear()
            item.config.hook.pytest_runtest_protocol(item=item, nextitem=following)
            for function in state()._stats:
                found[function].append(item)
        set_mutant_under_test("")
        return found

    def _begun(self, name: str, items: list[pytest.Item], caches: Iterable[Any]) -> int:
        if pid := os.fork():
            return pid
        with Path(os.devnull).open("w") as nowhere:
            os.dup2(nowhere.fileno(), 1)
            os.dup2(nowhere.fileno(), 2)
        bound = _LEAST + int(_PATIENCE * sum(self._took[each.nodeid] for each in items))
        resource.setrlimit(resource.RLIMIT_CPU, (bound, bound + 5))
        for each in caches:
            each.cache_clear()  # else what was computed before would hide what became of it
        set_mutant_under_test(name)
        with suppress(BaseException):
            for item, following in zip(items, [*items[1:], None], strict=True):
                item.config.hook.pytest_runtest_protocol(item=item, nextitem=following)
                if self._failed:
                    break
            os._exit(_FAILED if self._failed else 0)
        os._exit(_FAILED)

    def _await_one(self, waiting: dict[int, str]) -> None:
        pid, status = os.wait()
        name = waiting.pop(pid)
        self.results[name] = "time" if os.WIFSIGNALED(status) else "killed" if os.WEXITSTATUS(status) else "survived"
        if time.monotonic() - self._saved > _SAVED_EVERY:
            self._saved = time.monotonic()
            _RESULTS.write_text(json.dumps(self.results, indent=1))
            print(f"{len(self.results)} of {len(self.wanted)}: {dict(Counter(self.results.values()))}", flush=True)


def report(results: dict[str, str], made: int) -> None:
    """The figures, and in docs/mutants.md what nobody noticed. ``made``: changes, of which some may not have been
    tried."""
    _RESULTS.write_text(json.dumps(results, indent=1))
    parts = defaultdict[str, Counter[str]](Counter)
    for name, found in results.items():
        parts[name.split(".x")[0].removeprefix("legatum.").replace(".", "/")][found] += 1
    rows = [
        (part, sum(counts.values()), sum(counts[each] for each in _NOTICED), counts)
        for part, counts in sorted(parts.items())
    ]
    count, noticed = sum(row[1] for row in rows), sum(row[2] for row in rows)
    text = [
        "# Small changes that the tests do not notice",
        "",
        "Made by `make mutants`: the logic of these parts changed in one place at a time, and the tests that "
        "reach it run.",
        "Noticed is what a test fails by, what never ends, and what the type checker refuses. What is left "
        "is below: some are",
        "equal to what stands there, others are work to do.",
        "",
        f"{count} of {made} changes tried, {noticed} noticed: {100 * noticed / count:.1f} %.",
        "",
        "| part | changes | noticed | by a test | by the type checker | without end | unnoticed | not reached |",
        "| --- | --- | --- | --- | --- | --- | --- | --- |",
        *(
            f"| {part} | {total} | {100 * seen / total:.0f} % | {found['killed']} | {found['types']} | "
            f"{found['time']} | "
            f"{found['survived']} | {found['not reached']} |"
            for part, total, seen, found in rows
        ),
        "",
    ]
    print(text[6])
    for part, *_ in rows:
        lines = list(
            _unnoticed(part, [name for name, found in results.items() if found in ("survived", "not reached")])
        )
        text += [f"## {part}", "", *lines, ""] if lines else []
    (ROOT / "docs" / "mutants.md").write_text("\n".join(text).rstrip() + "\n")


def _unnoticed(part: str, names: list[str]) -> Iterator[str]:
    """Each as the line that stands there, and the one that nobody missed."""
    module = f"legatum.{part.replace('/', '.')}.x"
    own = [each.rpartition(".")[2] for each in names if each.startswith(module)]
    if not own:
        return
    file = PLACE / "mutants" / "src" / "legatum" / f"{part}.py"
    lines = file.read_text().splitlines()
    functions = {
        node.name: [line.strip() for line in lines[node.lineno : node.end_lineno]]
        for node in ast.walk(ast.parse("\n".join(lines)))
        if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef) and "__mutmut_" in node.name
    }
    for name in filter(functions.__contains__, own):
        base = name.rpartition("__mutmut_")[0]
        changed = difflib.unified_diff(functions[f"{base}__mutmut_orig"], functions[name], lineterm="", n=0)
        told = [each for each in changed if not each.startswith(("---", "+++", "@@"))]
        title = base.removeprefix("x").replace("ǁ", ".").strip("._")
        yield f"- `{title}`: " + " ".join(f"`{each[:1]} {each[1:]}`" for each in told[:4])


if __name__ == "__main__":
    sys.exit(main())
