# Everything runs from here: `make demo` to look around, `make test` to be sure.

PYTHON ?= python3
VENV := .venv
PY := $(VENV)/bin/python
NOW := 2026-11-25T07:30+11:00

.PHONY: setup develop demo serve test check attack lint bench phrasebook screenshots examples assets lock platforms clean

setup develop demo serve test:
	@$(PYTHON) start.py $@

# What is quick to be sure of while one works: lint, types, core, words and formats, without what is slow of them; no
# browser, within a minute.
check: lint
	$(PY) -m tests --quick tests.core tests.words tests.formats tests.test_house tests.test_assets

# The long form of the hostile and durable tests; some ten minutes, and not part of `make test`.
attack: develop
	$(PY) -m tests.attack

lint: develop
	$(PY) -m ruff check .
	$(PY) -m mypy

bench: develop
	$(PY) -m benchmarks

# Every sentence of the pages over made states, to be read through as a whole.
phrasebook: develop
	$(PY) -m tests.phrasebook

screenshots: develop
	VOLTAUN_NOW=$(NOW) $(PY) -m docs.screenshots

examples: develop
	$(PY) -m docs.examples

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

# Whether all that the lock names is ready-made on every system and Python named; it needs a network, for two minutes.
platforms: develop
	$(PY) -m tests.platforms

COMPILE := --quiet --generate-hashes --strip-extras --no-emit-index-url --no-emit-find-links --no-emit-trusted-host

clean:
	rm -rf $(VENV) $(VENV)-lock assets/node_modules
