# Everything a fresh machine needs: `make demo` or `make test`. Python 3.11 or newer has to be there.
PYTHON ?= python3
BIN := .venv/bin
DEMO ?= demo-workspace

.PHONY: demo test search lint bench clean

.venv/installed: pyproject.toml
	test -x $(BIN)/python || $(PYTHON) -m venv .venv
	$(BIN)/python -m pip install --quiet --editable '.[dev]'
	$(BIN)/python -m compileall -q src
	touch $@

demo: .venv/installed
	$(BIN)/kathodos demo $(DEMO) --fresh

test: .venv/installed
	$(BIN)/unittest-parallel --level class --jobs 0 --start-directory tests --top-level-directory .

# The same tests with many times as many made-up catalogues, another choice at each run.
search: .venv/installed
	KATHODOS_SEARCH=20 $(BIN)/unittest-parallel --level class --jobs 0 --start-directory tests --top-level-directory .

lint: .venv/installed
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/mypy
	$(BIN)/lint-imports --no-cache

bench: .venv/installed
	$(BIN)/python bench/start_up.py
	$(BIN)/python bench/commands.py
	$(BIN)/python bench/scale.py
	$(BIN)/python bench/findings.py
	$(BIN)/python bench/gathering.py

clean:
	rm -rf .venv $(DEMO)
