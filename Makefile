# Everything runs from here: `make demo` to look around, `make test` to be sure.

PYTHON ?= python3
VENV := .venv
PY := $(VENV)/bin/python
READY := $(VENV)/ready
DEV := $(VENV)/ready-to-develop
NOW := 2026-11-25T07:30+11:00
INSTALL := $(PY) -m pip install --quiet --disable-pip-version-check --require-hashes

.PHONY: setup demo serve test check attack lint bench phrasebook screenshots assets lock chromium clean

setup: $(READY)

$(READY): requirements.lock
	@$(PYTHON) -c 'import sys; sys.exit(sys.version_info < (3, 11))' || \
	  { echo "Found $$($(PYTHON) --version), expected Python 3.11 or newer; try make PYTHON=python3.11"; exit 1; }
	@echo "Installing what running needs (requirements.lock) into $(VENV)"
	$(PYTHON) -m venv $(VENV)
	$(INSTALL) -r requirements.lock
	@touch $@

$(DEV): $(READY) requirements-dev.lock
	@echo "Installing what development adds (requirements-dev.lock) into $(VENV)"
	$(INSTALL) -r requirements-dev.lock
	@touch $@

demo: $(READY)
	$(PY) -m voltaun demo

serve: $(READY)
	$(PY) -m voltaun serve

test: $(DEV) chromium
	$(PY) -m tests

# What is quick to be sure of while one works: lint, types, core, words and formats; no browser, within a minute.
check: lint
	$(PY) -m tests tests.core tests.words tests.formats tests.test_house tests.test_assets

# The long form of the hostile and durable tests; some ten minutes, and not part of `make test`.
attack: $(DEV)
	$(PY) -m tests.attack

lint: $(DEV)
	$(PY) -m ruff check .
	$(PY) -m mypy

bench: $(DEV)
	$(PY) -m benchmarks

# Every sentence of the pages over made states, to be read through as a whole.
phrasebook: $(DEV)
	$(PY) -m tests.phrasebook

screenshots: $(DEV) chromium
	VOLTAUN_NOW=$(NOW) $(PY) -m docs.screenshots

# Rebuilds the committed files of voltaun/static; the only step that needs Node. Not `npm ci`, which gives up when a
# registry lacks the builds of other platforms; what the lock file names is installed as it says all the same.
assets:
	cd assets && npm install --no-save --no-audit --no-fund && npm run build

# Makes both locks anew: what running needs (pyproject.toml), and what development adds (requirements-dev.in).
lock:
	$(PYTHON) -m venv $(VENV)-lock
	$(VENV)-lock/bin/python -m pip install --quiet pip-tools
	CUSTOM_COMPILE_COMMAND="make lock" $(VENV)-lock/bin/pip-compile $(COMPILE) --upgrade -o requirements.lock pyproject.toml
	CUSTOM_COMPILE_COMMAND="make lock" $(VENV)-lock/bin/pip-compile $(COMPILE) --upgrade -o requirements-dev.lock \
	  requirements-dev.in
	rm -rf $(VENV)-lock

COMPILE := --quiet --generate-hashes --strip-extras --no-emit-index-url --no-emit-find-links --no-emit-trusted-host

chromium:
	@command -v chromium >/dev/null || \
	  { [ "$$(id -u)" = 0 ] && echo "Installing Debian's package chromium for the browser tests" && apt-get update -qq && \
	    apt-get install -y -qq --no-install-recommends chromium; } || \
	  { echo "The browser tests need Debian's chromium: sudo apt-get install --no-install-recommends chromium"; exit 1; }

clean:
	rm -rf $(VENV) $(VENV)-lock assets/node_modules
