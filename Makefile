# Everything starts here; each target does the set-up that it needs.
PYTHON ?= $(shell sh tools/python.sh)
VENV := .venv
BIN := $(VENV)/bin
PORT ?= 8420
export PYTHONDONTWRITEBYTECODE=
UV_VERSION := $(shell sed -n 's/^uv==\([0-9.]*\).*/\1/p' requirements.lock)

.PHONY: help setup demo browser lock test schema screenshots check check-python check-types check-lint check-api bench clean

help: ## Say what can be made
	@grep -hE '^[a-z-]+:.*##' $(MAKEFILE_LIST) | sed 's/:.*##/\t/' | expand -t 14

setup: .make/python .make/web ## Make the virtual environment and install everything in it

.make/python: requirements.lock pyproject.toml
	@mkdir -p .make
	@sh tools/debian.sh $(PYTHON) python3 python3-venv
	@test -x $(BIN)/python || $(PYTHON) -m venv $(VENV) 2>/dev/null \
		|| { rm -rf $(VENV); sh tools/debian.sh venv-of-python3 python3-venv; $(PYTHON) -m venv $(VENV); }
	@test -x $(BIN)/uv || $(BIN)/python -m pip install --quiet --disable-pip-version-check uv==$(UV_VERSION)
	$(BIN)/uv pip sync --quiet --compile-bytecode --python $(BIN)/python --require-hashes requirements.lock
	$(BIN)/uv pip install --quiet --python $(BIN)/python --no-build-isolation --no-deps --editable .
	@touch $@

WEB_SOURCES := $(shell find web -path web/node_modules -prune -o -path web/dist -prune -o -type f -print)

.make/web: $(WEB_SOURCES)
	@mkdir -p .make
	@sh tools/debian.sh npm nodejs npm
	@test web/node_modules/.package-lock.json -nt web/package-lock.json || (cd web && npm ci --loglevel error --no-audit --no-fund)
	@cd web && npm run --silent build -- --logLevel warn
	@touch $@

demo: setup ## Start Vexo with its demo (PORT=8420)
	@$(BIN)/vexo demo --port $(PORT)

browser: # Chromium and its driver, for the tests that use the real interface
	@sh tools/debian.sh chromedriver chromium-driver chromium-headless-shell
	@sh tools/debian.sh chromium-headless-shell chromium-headless-shell

test: setup browser ## Run the checks and all tests
	@$(BIN)/python -m tests

check: setup ## ruff, mypy, import rules, missing migrations, the front end, a stale API client
	@$(MAKE) --no-print-directory -j2 -O check-lint check-types check-python check-api

check-python:
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/mypy
	$(BIN)/lint-imports
	@VEXO_DATA=$$(mktemp -d) DJANGO_SETTINGS_MODULE=vexo.server.settings $(BIN)/django-admin makemigrations --check --dry-run
	@HARBOUR_DATA=$$(mktemp -d) DJANGO_SETTINGS_MODULE=harbour.settings $(BIN)/django-admin makemigrations --check --dry-run

check-types:
	@cd web && npm run --silent types

check-lint:
	@cd web && npm run --silent lint

check-api:
	@VEXO_DATA=$$(mktemp -d) DJANGO_SETTINGS_MODULE=vexo.server.settings $(BIN)/django-admin spectacular --file .make/schema.yaml 2>/dev/null
	@cmp -s .make/schema.yaml web/schema.yaml || { echo "web/schema.yaml is stale: make schema"; exit 1; }
	@cd web && npx --no openapi-typescript schema.yaml -o ../.make/schema.d.ts >/dev/null 2>&1
	@cmp -s .make/schema.d.ts web/src/api/schema.d.ts || { echo "web/src/api/schema.d.ts is stale: make schema"; exit 1; }

schema: setup ## Describe the API anew, and make the front end's client types from it
	@VEXO_DATA=$$(mktemp -d) DJANGO_SETTINGS_MODULE=vexo.server.settings $(BIN)/django-admin spectacular --file web/schema.yaml
	@cd web && npm run --silent schema

screenshots: setup browser ## Make the pictures in docs/screenshots anew, from the demo
	@$(BIN)/python -m tests.browser.screenshots

bench: setup ## Measure (see bench/)
	@$(BIN)/uv pip install --quiet --python $(BIN)/python --group bench
	$(BIN)/python -m bench.reading
	$(BIN)/python -m bench.round_trip
	$(BIN)/python -m bench.sending_out
	$(BIN)/python -m bench.columns
	$(BIN)/python -m bench.planning
	$(BIN)/python -m bench.planning.in_use
	$(BIN)/python -m bench.planning.near_keys
	$(BIN)/python -m bench.planning.measured_keys
	$(BIN)/python -m bench.planning.pictures
	$(BIN)/python -m bench.planning.decisions

lock: setup ## Lock the Python dependencies anew
	$(BIN)/uv pip compile --quiet --universal --python-version 3.11 --generate-hashes --no-header --no-annotate --no-emit-index-url --extra demo --group dev pyproject.toml -o requirements.lock

clean: ## Take away what was made, the demo's data too
	rm -rf .make $(VENV) var web/node_modules web/dist
