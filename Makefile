# make demo    set everything up, make the demo project, serve it
# make test    set up what tests need, and run what has to pass each time, in about a quarter of an hour
# make test-all  the same, with the tests and stories that take long, and the wheel: an hour on two cores
# make trust   what make test-all tries a cut of: thousands of damaged files, a hundred kills
# make wheel   the wheel in clean environments, on every Python that is found
.DEFAULT_GOAL := help
SHELL := /bin/bash
.SHELLFLAGS := -eu -o pipefail -c
PY := .venv/bin/python
STAMPS := .stamps
# hundreds of processes are started: none should compile its libraries anew
unexport PYTHONDONTWRITEBYTECODE
# two at least: most tests wait for processes, and for what sounds
JOBS := $(shell n=$$(nproc 2>/dev/null || echo 2); echo $$((n < 2 ? 2 : n)))
# tests/slow.txt names what takes long: see tests/slow.py
SELECTED := -m "not slow"
# made from the description of the API, never by hand
TYPES := frontend/src/api/schema.d.ts
CORE_SOURCES := $(shell find src/innerbloom/core -name '*.py')
FRONT_SOURCES := $(shell find frontend/src frontend/public -type f -not -name schema.d.ts) frontend/index.html frontend/vite.config.ts frontend/handbook.ts $(shell find docs/handbook docs/screenshots -name "*.md" -o -name "*.png")

.PHONY: help setup fetched demo test test-all trust wheel checks reference bench sound screenshots clean

help:
	@sed -n 's/^# make/make/p' Makefile

# all at once where one does not need the other: kernels compile beside the front end's build
setup:
	@$(MAKE) --no-print-directory -j3 $(STAMPS)/python $(STAMPS)/front $(STAMPS)/kernels

$(STAMPS)/python: requirements.lock pyproject.toml
	@mkdir -p $(STAMPS)
	@echo "Python packages, into .venv (half a minute or so the first time)"
	@test -x $(PY) || python3 -m venv .venv
	@.venv/bin/pip install --disable-pip-version-check -q uv 2> >(grep -v 'is ignored' >&2)
	@VIRTUAL_ENV=$(CURDIR)/.venv .venv/bin/uv pip install -q --require-hashes -r requirements.lock
	@VIRTUAL_ENV=$(CURDIR)/.venv .venv/bin/uv pip install -q --no-deps -e .
	@echo "Python packages are there"
	@touch $@

$(STAMPS)/npm: frontend/package-lock.json
	@mkdir -p $(STAMPS)
	@echo "Front end: packages"
	@# not "npm ci": it refuses a lock file without the optional packages of other platforms
	@cd frontend && npm install --no-save --no-fund --no-audit --loglevel=error
	@touch $@

$(TYPES): docs/openapi.json $(STAMPS)/npm
	@cd frontend && npm run -s types >/dev/null
	@touch $@

$(STAMPS)/front: $(STAMPS)/npm $(TYPES) $(FRONT_SOURCES)
	@echo "Front end: build"
	@cd frontend && npx --no-install vite build --logLevel warn
	@touch $@

$(STAMPS)/kernels: $(STAMPS)/python $(CORE_SOURCES)
	@echo "Compiling the sound kernels (on all cores, about a minute the first time)"
	@# kept under a fingerprint of these sources, so that none is ever used for others
	@$(PY) -m innerbloom.core.engine.warm
	@touch $@

# kernels compile while it is served, and what takes long of the demo is made then: pages show how far it is
demo:
	@$(MAKE) --no-print-directory -j2 $(STAMPS)/python $(STAMPS)/front
	@.venv/bin/bloom demo $(DEMO)

# what tests need of Debian's packages
fetched:
	@.ci/chromium
	@.ci/recordings

# fetching waits for the network while kernels and checks keep the processor
test:
	@$(MAKE) --no-print-directory -j4 --output-sync=line $(STAMPS)/python $(STAMPS)/front $(STAMPS)/kernels fetched $(CHECKS:%=check-%)
	@echo "Tests: computation on all cores, then what runs by the clock on its own, then the interface"
	@$(PY) -m pytest -q $(SELECTED) -n $(JOBS) --dist loadfile --no-loadscope-reorder tests/core tests/reference tests/api --ignore=tests/api/test_live.py --ignore=tests/api/test_takes.py --ignore=tests/api/test_workers.py $(PYTEST)
	@$(PY) -m pytest -q $(SELECTED) tests/api/test_live.py tests/api/test_takes.py tests/api/test_workers.py tests/trust $(PYTEST)
	@$(PY) -m pytest -q $(SELECTED) -n $(JOBS) --dist loadfile --no-loadscope-reorder tests/ui $(PYTEST)

test-all:
	@$(MAKE) --no-print-directory test SELECTED=
	@$(PY) -m pytest -q tests/wheel $(PYTEST)

# 5,000 damaged recordings, 5,000 documents, 100 kills, every operation of the API: some 10 minutes on two cores, counts at the end
trust: setup
	@BLOOM_TRUST=1 $(PY) -m pytest -q -n $(JOBS) --dist loadfile --no-loadscope-reorder tests/trust $(PYTEST)

# on every Python that is found, and with the oldest packages that are allowed
wheel: setup
	@BLOOM_PYTHONS="3.11 3.12 3.13" BLOOM_OLDEST=1 $(PY) -m pytest -q tests/wheel -rs $(PYTEST)

# the longest first, so that two at a time end together
CHECKS := types mypy eslint python units format
.PHONY: $(CHECKS:%=check-%)
checks:
	@echo "Checks: ruff, mypy, layers; the front end's types, lint, format and unit tests"
	@$(MAKE) --no-print-directory -j2 --output-sync=target $(CHECKS:%=check-%)

check-mypy check-python: $(STAMPS)/python
check-types check-format check-eslint check-units: $(STAMPS)/npm $(TYPES)

check-types:
	@cd frontend && npm run -s check

check-mypy:
	@.venv/bin/mypy

check-format:
	@cd frontend && npm run -s format

check-eslint:
	@cd frontend && npm run -s lint

check-python:
	@.venv/bin/ruff check src tests bench
	@.venv/bin/ruff format --check -q src tests bench
	@.venv/bin/lint-imports --no-cache | tail -4

check-units:
	@cd frontend && npm run -s test

reference: setup
	@$(PY) -m innerbloom.cli.reference docs
	@cd frontend && npm run -s types >/dev/null

bench: setup
	@for script in kernel twins engine layers waves spectra routes analysis pitch shelf bench_view deliver batch live; do echo "== bench/$$script.py"; $(PY) bench/$$script.py; done

sound: setup
	@$(PY) bench/sound.py

screenshots: setup
	@$(PY) docs/screenshots/take.py

clean:
	rm -rf .venv $(STAMPS) frontend/node_modules src/innerbloom/web/static
