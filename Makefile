# make demo: the bench with the demo plates. make test: everything that is checked.
PYTHON ?= python3
BIN := .venv/bin
STAMPS := .stamps
.PHONY: demo test check faults coverage photographs first-settings suites bench bench-screen bench-kernels bench-runs bench-reels bench-formats attack setup setup-test

demo: setup
	$(BIN)/aurelon serve --demo --data work-data

# Processes that tests kill leave semaphores behind, which would be said after the last line.
test: setup-test
	$(BIN)/python -W ignore:resource_tracker -m tests.run

# Types, lint, format and the quick tests, without a browser: for before a commit.
check: setup-test
	$(BIN)/python -m tests.run --without-browser
	$(BIN)/python -m tests.faults --tenth

# Small faults put into the code on purpose, to see whether the tests see them; a quarter of an hour.
faults: setup-test
	$(BIN)/python -m tests.faults

# Branch coverage of the rooms that hold the rules of the job; ten minutes.
coverage: setup-test
	$(BIN)/python -m tests.coverage

# Pictures of public test suites beside what the libraries' own decoders make of them; two minutes, fetched the first time.
suites: setup-test
	$(BIN)/python -m tests.suites

# What new lights do on photographs of Debian's packages, fetched the first time; three minutes.
first-settings: setup-test
	$(BIN)/python -m tests.first_settings

# The twenty jobs on photographs that a package ships; five minutes each.
photographs: setup-test
	$(BIN)/python -m tests.workflows.photographs

bench: setup-test
	$(BIN)/python -m tests.bench

# How the page answers the hand, in a real browser.
bench-screen: setup-test
	$(BIN)/python -m tests.bench_screen

# How long each kernel takes to compile; four minutes.
bench-kernels: setup-test
	$(BIN)/python -m tests.bench_kernels

# How runs go on over workers; ten minutes.
bench-runs: setup-test
	$(BIN)/python -m tests.bench_runs

# How fast files are read and written, each beside its library alone; ten minutes.
bench-formats: setup-test
	$(BIN)/python -m tests.bench_formats

# How lit reels go on over workers, frame by frame; four minutes.
bench-reels: setup-test
	$(BIN)/python -m tests.bench_reels

# Everything that tries to break what is promised, whole: four hours, half of them the soak; docs/robustness.md has what came of it.
attack: setup-test
	$(BIN)/python -m tests.attack.damaged $(or $(FILES),50000)
	$(BIN)/python -m tests.attack.by_coverage $(or $(BRED),50000)
	$(BIN)/python -m tests.attack.extreme $(or $(RIGS),20000)
	$(BIN)/python -m tests.attack.determinism
	$(BIN)/python -m tests.attack.trouble
	$(BIN)/python -m tests.attack.windows $(or $(CONFLICTS),2000)
	$(BIN)/python -m tests.attack.by_schema $(or $(REQUESTS),20000)
	$(BIN)/python -m tests.attack.kills $(or $(KILLS),1000)
	$(BIN)/python -m tests.attack.peers $(or $(DRAFTS),60)
	$(BIN)/python -m tests.attack.watched $(or $(THINGS),300)
	$(BIN)/python -m tests.attack.busy $(or $(LOOKED),400)
	$(BIN)/python -m tests.attack.soak $(or $(MINUTES),120)

# The byte code is made here, so that a start takes no time for it where Python is told to write none.
setup:
	$(MAKE) --no-print-directory -j2 $(STAMPS)/first-kernels $(STAMPS)/built
	$(BIN)/python -m compileall -q aurelon

# Python's packages, Node's and the browser come side by side; kernels are compiled while the front end is built.
setup-test:
	$(MAKE) --no-print-directory -j3 $(STAMPS)/precompiled $(STAMPS)/chromium $(STAMPS)/built $(STAMPS)/tested-with
	$(BIN)/python -m compileall -q aurelon

$(STAMPS)/venv: requirements.lock pyproject.toml
	$(PYTHON) -m venv .venv
	$(BIN)/pip install --quiet --disable-pip-version-check -r requirements.lock
	$(BIN)/pip install --quiet --disable-pip-version-check --no-build-isolation --no-deps -e .
	mkdir -p $(STAMPS) && touch $@

KERNELS := $(wildcard aurelon/core/*.py aurelon/core/*/*.py aurelon/core/*/*/*.py)

# What the first minute needs; the service has the rest compiled while it runs.
$(STAMPS)/first-kernels: $(STAMPS)/venv $(KERNELS)
	$(BIN)/python -m aurelon.core.precompile --first
	touch $@

$(STAMPS)/precompiled: $(STAMPS)/venv $(KERNELS)
	$(BIN)/python -m aurelon.core.precompile --side-by-side
	touch $@

$(STAMPS)/node: frontend/package-lock.json
	cd frontend && npm ci --no-audit --no-fund --loglevel=error
	mkdir -p $(STAMPS) && touch $@

$(STAMPS)/built: $(STAMPS)/node $(filter-out %/schema.ts,$(shell find frontend/src -type f)) docs/openapi.json frontend/index.html frontend/vite.config.ts
	cd frontend && npm run --silent types > /dev/null && npx vite build --logLevel warn
	touch $@

$(STAMPS)/tested-with: $(STAMPS)/venv requirements-test.lock
	$(BIN)/pip install --quiet --disable-pip-version-check -r requirements-test.lock
	touch $@

$(STAMPS)/chromium:
	test -x /usr/bin/chromium || (apt-get update -qq && apt-get install -y -qq --no-install-recommends chromium)
	mkdir -p $(STAMPS) && touch $@
