"""How many small changes of the logic the tests notice: mutation testing, as `make mutants`.

One change at a time is made in the parts that [tool.mutmut] in pyproject.toml names - a comparison, a constant, a condition, an argument,
an assignment - and the tests that reach it are run, the quickest first, until one fails. What the type checker refuses counts as noticed:
it is part of `make test`. Texts are left alone: what people read is held by the tests of pages and commands.
"""

import gc
import sys
from collections.abc import Iterable
from functools import _lru_cache_wrapper
from typing import Any

from mutmut.__main__ import cli
from mutmut.mutation import mutators
from mutmut.runners import harness
from mutmut.state import state


def main() -> None:
    operators = [pair for pair in mutators.mutation_operators if pair[1] is not mutators.operator_string]
    mutators.mutation_operators[:] = operators
    each_by_itself()
    sys.argv[1:] = sys.argv[1:] or ["run"]
    cli()


def each_by_itself() -> None:
    """Tests in the order of how long they take (the library has them in that of a set), and nothing kept from what was computed before: a
    function that remembers its results would hide what became of it."""
    run_tests = harness.PytestRunner.run_tests
    remembering = list[Any]()

    def ordered(self: harness.PytestRunner, *, mutant_name: str | None, tests: Iterable[str]) -> int:
        if not remembering:
            caches = (each for each in gc.get_objects() if isinstance(each, _lru_cache_wrapper))
            remembering.extend(each for each in caches if each.__module__.startswith("legatum."))
        for each in remembering:
            each.cache_clear()
        return run_tests(self, mutant_name=mutant_name, tests=sorted(tests, key=lambda test: state().duration_by_test.get(test, 0.0)))

    harness.PytestRunner.run_tests = ordered  # type: ignore[method-assign]


if __name__ == "__main__":
    main()
