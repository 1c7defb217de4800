# Even Static. A newcomer needs two of these: `make demo` and `make test`.
SHELL := /bin/bash
PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin

.PHONY: setup pages types demo serve test lint check-types test-tools unit browser bench judge soak screenshots format clean

setup: $(VENV)/.installed pages

$(VENV)/.installed: pyproject.toml
	@test -x $(BIN)/python || $(PYTHON) -m venv $(VENV)
	@echo "Installing Python packages into $(VENV)"
	@$(BIN)/pip install --quiet --disable-pip-version-check -e '.[dev]'
	@touch $@

frontend/node_modules/.installed: frontend/package-lock.json
	@command -v npm >/dev/null || { echo "npm is needed: install Node.js 20 or newer."; exit 1; }
	@echo "Installing front-end packages"
	@cd frontend && npm ci --no-audit --no-fund --loglevel=error
	@touch $@

# The built pages, made anew only when a source is newer.
pages: $(VENV)/.installed frontend/node_modules/.installed
	@$(BIN)/python scripts/build_pages.py

types: $(VENV)/.installed frontend/node_modules/.installed
	$(BIN)/python scripts/export_openapi.py > frontend/openapi.json
	cd frontend && npm run --silent types

demo: setup
	@$(BIN)/even-static demo

serve: setup
	@$(BIN)/even-static serve

lint: setup
	$(BIN)/ruff check src tests scripts bench judge soak
	$(BIN)/ruff format --check src tests scripts bench judge soak
	$(BIN)/lint-imports
	cd frontend && npm run --silent lint

check-types: setup
	$(BIN)/mypy
	$(BIN)/mypy --platform win32 --cache-dir .mypy_cache/win32
	cd frontend && npm run --silent check

# The browser for the tests, and a reader of captures to compare with, come from Debian's packages; nothing else is taken
# from outside.
test-tools:
	@command -v chromium >/dev/null || { \
	  if [ "$$(id -u)" = 0 ]; then apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq chromium >/dev/null; \
	  else echo "The tests drive Chromium. Please install it once:  sudo apt-get install chromium"; exit 1; fi; }
	@command -v tshark >/dev/null || { \
	  if [ "$$(id -u)" = 0 ]; then DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends tshark \
	    >/dev/null 2>&1 || echo "tshark could not be installed: one check of captures is left out."; fi; }
	@for tool in tcpdump iperf3 hostapd; do PATH=$$PATH:/usr/sbin command -v $$tool >/dev/null || { \
	  if [ "$$(id -u)" = 0 ]; then DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends $$tool \
	    >/dev/null 2>&1 || echo "$$tool could not be installed: the checks against it are left out."; fi; }; done

test: setup test-tools lint check-types
	cd frontend && npm run --silent test
	$(BIN)/pytest

unit: setup
	$(BIN)/pytest -m 'not browser'

browser: setup test-tools
	$(BIN)/pytest -m browser

bench: setup
	PYTHONPATH=. $(BIN)/python bench/run.py

# Plans in houses whose truth the planner does not know, some six minutes: `make judge HOUSES=12` is a look. Houses of
# another make, whose physics lie elsewhere than the planner's tables (judge/makes.py): `make judge OF=stone`, `OF=light`.
HOUSES ?= 60
OF ?= usual
judge: setup
	PYTHONPATH=. $(BIN)/python judge/run.py --houses $(HOUSES) --make $(OF)

# Kills, full disks, many at once, hostile input: a quarter of an hour. `make soak QUICK=--quick` is a tenth of it.
soak: setup
	PYTHONPATH=. $(BIN)/python soak/run.py $(QUICK)

screenshots: setup test-tools
	PYTHONPATH=. $(BIN)/python scripts/take_screenshots.py

format: setup
	$(BIN)/ruff check --fix src tests scripts bench judge soak
	$(BIN)/ruff format src tests scripts bench judge soak
	cd frontend && npm run --silent format

clean:
	rm -rf $(VENV) frontend/node_modules src/even_static/pages
