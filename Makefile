# Everything a fresh machine needs is Python 3.11 or later and make.

PYTHON ?= python3
BIN := .venv/bin
READY := .venv/ready
unexport PYTHONDONTWRITEBYTECODE # else every start of the program would compile it anew

.PHONY: demo test check bench mutants shots docs dist clean

demo: $(READY)                  ## the full worked example, in under 30 s
	$(BIN)/legatum demo

test: $(READY)                  ## style, types, layers and all tests, the ones against real servers too
	tools/servers
	$(MAKE) check
	$(BIN)/python -m pytest -n 3 --dist worksteal

check: $(READY)                 ## style, types and layers
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/mypy
	$(BIN)/lint-imports
	$(BIN)/python tools/make_docs.py --check

bench: $(READY)                 ## speed, as ratios measured in one run
	$(BIN)/python -m bench

mutants: $(READY)               ## small changes of the logic that no test notices, into docs/mutants.md; takes an hour
	$(BIN)/python -m pip install --quiet --disable-pip-version-check -e '.[mutants]'
	PATH="$(CURDIR)/$(BIN):$$PATH" $(BIN)/python tools/mutants.py

shots: $(READY)                 ## the pictures in docs/screenshots, made anew from the demo data
	tools/shots

dist: $(READY)                  ## wheel and source archive, in dist/
	$(BIN)/python -m hatchling build

docs: $(READY)                  ## the generated pages: findings and JSON Schema
	$(BIN)/python tools/make_docs.py

clean:
	rm -rf .venv .mypy_cache .ruff_cache .pytest_cache .hypothesis build dist

$(READY): pyproject.toml
	$(PYTHON) -m venv .venv
	$(BIN)/python -m pip install --quiet --disable-pip-version-check -e '.[dev]'
	touch $(READY)
