# Two commands do it all: `make demo` and `make test`. Both install what is missing first.

PYTHON ?= python3
VENV := .venv
PY := $(VENV)/bin/python
# what is installed is stamped where it is, so that a stamp cannot outlive it
PYTHON_STAMP := $(VENV)/.installed
NODE_STAMP := web/node_modules/.installed
WEB_STAMP := web/dist/.built
# tests wait for servers a third of their time, so there is room for one more than there are cores
WORKERS ?= $(shell cores=$$(nproc); echo $$((cores < 3 ? cores + 1 : 4)))
# of `make fuzz`
ROUNDS ?= 5

.PHONY: demo serve demo-reset test fuzz soak lint setup system web bench screenshots types help

help:
	@echo "make demo         everything with the aquarium's systems and data; Ctrl-C stops it"
	@echo "make serve        the application alone, for systems of your own"
	@echo "make demo-reset   forget what the demo has kept, and start over next time"
	@echo "make test         all checks and tests"
	@echo "make soak         breaks 200 restores at every moment, and hundreds at every write"
	@echo "make fuzz         thousands of broken files for each format, and laws with new draws"
	@echo "make bench        the figures in docs/performance.md"
	@echo "make screenshots  the pictures in docs/screenshots"

setup: system $(PYTHON_STAMP)

system:
	@bash scripts/install-system.sh

$(PYTHON_STAMP): pyproject.toml requirements.txt | system
	@test -x $(PY) || $(PYTHON) -m venv $(VENV)
	@sh scripts/quietly.sh "Installing the Python packages" $(VENV)/bin/pip install --quiet --disable-pip-version-check -r requirements.txt
	@sh scripts/quietly.sh "Installing Keep Sort" $(VENV)/bin/pip install --quiet --disable-pip-version-check --no-deps -e .
	@touch $@

$(NODE_STAMP): web/package.json web/package-lock.json
	@# not `npm ci`: a registry without the builds for other platforms leaves them out of the lock
	@cd web && sh ../scripts/quietly.sh "Installing the packages of the screens" npm install --silent --no-audit --no-fund --no-save
	@touch $@

WEB_FILES := $(shell find web/src web/public docs/guide -type f) web/index.html web/vite.config.ts
$(WEB_STAMP): $(NODE_STAMP) $(WEB_FILES)
	@cd web && sh ../scripts/quietly.sh "Building the screens" npm run --silent build
	@touch $@

web: $(WEB_STAMP)

demo: setup web
	@exec $(PY) -m demo.run

serve: setup web
	@exec $(PY) -m serving

demo-reset:
	@bash scripts/demo-reset.sh

# The types that the screens are written against, made from the API's own schema.
types: setup $(NODE_STAMP)
	@$(PY) -m tests.schema build/openapi.json
	@cd web && npm run --silent types

lint: setup $(NODE_STAMP)
	@$(VENV)/bin/ruff check .
	@$(VENV)/bin/ruff format --check .
	@KEEPSORT_STATE=build/state $(VENV)/bin/mypy
	@$(VENV)/bin/lint-imports --no-cache >/dev/null || $(VENV)/bin/lint-imports --no-cache
	@$(PY) -m tests.schema build/openapi.json
	@cd web && npx --no-install openapi-typescript ../build/openapi.json -o ../build/schema.d.ts >/dev/null 2>&1
	@cmp build/schema.d.ts web/src/lib/api/schema.d.ts || { echo "The API has changed: run make types"; exit 1; }
	@cd web && npm run --silent check && npm run --silent lint

test: lint web
	@cd web && npm run --silent test
	@# the browser's tests share one demo, so one process runs them all
	@$(PY) -m pytest -n $(WORKERS)

soak: setup web
	@# every moment of 200 restores, and hundreds of restores with writes that go wrong
	@KEEPSORT_SOAK=200 KEEPSORT_ROUNDS=100 $(PY) -m pytest -n 2 tests/server/test_moments.py tests/server/test_random_restores.py

fuzz: setup
	@# thousands of broken files for each reader; what is found becomes a case in tests/files/corpus
	@KEEPSORT_FUZZ=5000 $(PY) -m pytest -n 2 tests/files/test_fuzz.py
	@# every law of the core, of formats and of files with draws that no run has had
	@for round in $$(seq $(ROUNDS)); do KEEPSORT_DRAW_ANEW=1 \
	    $(PY) -m pytest -n 2 tests/core tests/formats tests/files || exit 1; done

bench: setup web
	@$(PY) -m benchmarks

screenshots: setup web
	@$(PY) -m scripts.screenshots
