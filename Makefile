# Everything a fresh machine needs: `make demo` or `make test`. Python 3.11 or newer has to be there.
PYTHON ?= python3
BIN := .venv/bin
# One more than there are processors: tests wait for servers, for each other, and for processes that they kill.
JOBS ?= $(shell expr $$(getconf _NPROCESSORS_ONLN) + 1)
DEMO ?= demo-workspace
TESTS := $(BIN)/unittest-parallel --level class --jobs $(JOBS) --start-directory tests --top-level-directory .
ONE_BY_ONE := $(BIN)/python -m unittest discover --start-directory tests --top-level-directory .
# What touches a store is tested on both: in a file, and in a database where a PostgreSQL server's programs are.
ON_BOTH := acceptance ledger review store workspace analysis.test_differences findings.excess.test_excess.History \
	$(addprefix connectors.test_,activity posix.Tree postgres)
OF_STORES := store ledger workspace $(addprefix acceptance.test_,killed trust)
IN_A_DATABASE := $(filter-out %killed,$(OF_STORES))
# What verifies the ledger or makes packets, which large ones share out to processes.
SHARED_OUT := ledger $(addprefix acceptance.test_,killed ledger packet_page packets review_results round trust upgrading)

SECONDS ?= 600
MUTATIONS ?= 2000

.PHONY: demo test thresholds benches search soak fuzz lock lint bench clean

.venv/installed: pyproject.toml requirements-dev.lock
	test -x $(BIN)/python || $(PYTHON) -m venv .venv
	$(BIN)/python -m pip install --quiet --constraint requirements-dev.lock --editable '.[dev]'
	$(BIN)/python -m compileall -q src
	touch $@

demo: .venv/installed
	$(BIN)/kathodos demo $(DEMO) --fresh

test: .venv/installed
	$(TESTS)
	KATHODOS_TEST_STORE=postgres $(TESTS) $(addprefix -k tests.,$(IN_A_DATABASE))

# What only large stores meet, on the small ones of the tests: every threshold as small as it can be, and work in processes.
thresholds: .venv/installed
	KATHODOS_THRESHOLDS=smallest KATHODOS_TEST_STORE=postgres $(TESTS) $(addprefix -k tests.,$(ON_BOTH))
	KATHODOS_THRESHOLDS=smallest $(TESTS) $(addprefix -k tests.,$(OF_STORES))
	KATHODOS_THRESHOLDS=processes $(ONE_BY_ONE) $(addprefix -k tests.,$(SHARED_OUT))

# Each bench to its end, on what is small.
benches: .venv/installed
	KATHODOS_BENCHES=1 $(subst --level class,--level test,$(TESTS)) -k tests.test_bench.SmallBenches

# The same tests with many times as many made-up catalogues, another choice at each run.
search: .venv/installed
	KATHODOS_SEARCH=20 $(TESTS)

# Sixteen people at once on one store in a database, for ten minutes.
soak: .venv/installed
	$(BIN)/python bench/soak.py

# Whatever is read, and the store, changed at random: SECONDS for each reader, MUTATIONS of a store's database.
fuzz: .venv/installed
	$(BIN)/python fuzz/readers.py --seconds $(SECONDS)
	$(BIN)/python fuzz/store.py --count $(MUTATIONS)

# The versions that development works with, anew from what is installed.
lock: .venv/installed
	$(BIN)/python -m pip freeze --exclude-editable --exclude pip --exclude setuptools > requirements-dev.lock

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
	$(BIN)/python bench/stores.py
	$(BIN)/python bench/verifying.py
	$(BIN)/python bench/changing.py
	$(BIN)/python bench/requesting.py
	$(BIN)/python -m pip install --quiet --constraint requirements-dev.lock --editable '.[bench]'
	$(BIN)/python bench/roles.py --whole

clean:
	rm -rf .venv $(DEMO)
