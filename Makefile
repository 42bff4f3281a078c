# Two commands for everybody: make demo, make test. See CONTRIBUTING.md.
PYTHON ?= python3.11
VENV := .venv
BIN := $(VENV)/bin
CONSOLE := src/fasciculus/service/console/index.html
CONSOLE_SOURCES := $(shell find console/src console/public -type f) console/index.html console/vite.config.ts console/svelte.config.js console/package.json

.PHONY: demo test check bench clean setup console screenshots test-system
.DELETE_ON_ERROR:

demo: setup
	@exec $(BIN)/python -m fasciculus.demo

setup: $(VENV)/.ready $(CONSOLE)

console: $(CONSOLE)

$(VENV)/.ready: pyproject.toml constraints.txt
	$(PYTHON) -m venv $(VENV)
	$(BIN)/pip install --quiet --constraint constraints.txt pip setuptools
	$(BIN)/pip install --quiet --constraint constraints.txt --editable '.[demo,test]'
	@touch $@

console/node_modules/.ready: console/package.json console/package-lock.json
	cd console && npm ci --loglevel error
	@touch $@

$(CONSOLE): console/node_modules/.ready $(CONSOLE_SOURCES)
	cd console && npx --no-install vite build --logLevel warn
	@touch $@

# The servers and the browser that the tests use for real, where root may install them.
test-system:
	@sh tests/install-debian-packages.sh

test: setup test-system
	$(BIN)/pytest

check: setup
	$(BIN)/ruff check src tests bench docs
	$(BIN)/mypy
	$(BIN)/lint-imports
	cd console && npx --no-install svelte-check --tsconfig ./tsconfig.json --fail-on-warnings --output machine

bench: setup
	$(BIN)/python -m bench

screenshots: setup
	$(BIN)/python docs/screenshots/make.py

clean:
	rm -rf $(VENV) console/node_modules src/fasciculus/service/console .demo build dist \
	  .pytest_cache .mypy_cache .ruff_cache .hypothesis .import_linter_cache src/*.egg-info
