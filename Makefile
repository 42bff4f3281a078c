# Two commands for everybody: make demo, make test. See CONTRIBUTING.md.
PYTHON ?= python3.11
VENV := .venv
BIN := $(VENV)/bin
NATIVE := $(wildcard src/fasciculus/core/native/*.c)
CONSOLE := src/fasciculus/service/console/index.html
CONSOLE_SOURCES := $(shell find console/src console/public -type f) console/index.html console/vite.config.ts console/svelte.config.js console/package.json

.PHONY: demo demo-fleet test check generate wheel bench clean setup console screenshots release test-system
.DELETE_ON_ERROR:
# Hundreds of processes of the tests would each compile the whole source anew.
unexport PYTHONDONTWRITEBYTECODE

demo: setup
	@exec $(BIN)/python -m fasciculus.demo

# Three workers on one service; needs redis-server.
demo-fleet: setup
	@exec $(BIN)/python -m fasciculus.demo.fleet

setup: $(VENV)/.ready $(CONSOLE)

console: $(CONSOLE)

$(VENV)/.ready: pyproject.toml constraints.txt setup.py $(NATIVE)
	$(PYTHON) -m venv $(VENV)
	$(BIN)/pip install --quiet --constraint constraints.txt pip setuptools
	$(BIN)/pip install --quiet --constraint constraints.txt --editable '.[demo,test,fleet]'
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

# Fails too when less than 95 % of the core is covered.
test: setup test-system
	$(BIN)/pytest --cov --cov-report=term

# One check, and how long it took: $(call timed,NAME,COMMAND)
define timed
@start=$$(date +%s%N); $(2) || exit 1; \
  printf '%-12s %6.1f s\n' '$(1)' "$$(( ($$(date +%s%N) - start) / 100000000 ))e-1"
endef

check: setup
	$(call timed,ruff,$(BIN)/ruff check --quiet setup.py src tests bench docs)
	$(call timed,format,$(BIN)/ruff format --check --quiet setup.py src tests bench docs)
	$(call timed,clang-format,$(BIN)/clang-format --dry-run --Werror $(NATIVE))
	$(call timed,mypy,$(BIN)/mypy)
	$(call timed,types,$(BIN)/mypy --config-file tests/mypy.ini --cache-dir .mypy_cache/tests)
	$(call timed,imports,report=$$($(BIN)/lint-imports 2>&1) || { echo "$$report"; false; })
	$(call timed,openapi,$(BIN)/python -m fasciculus.service.http.describe | diff - console/openapi.json > /dev/null || { echo 'console/openapi.json is out of date: run “make generate”.'; false; })
	$(call timed,prettier,cd console && npx --no-install prettier --check --log-level warn .)
	$(call timed,eslint,cd console && npx --no-install eslint .)
	$(call timed,calls,cd console && node generate-calls.mjs --check)
	$(call timed,vitest,cd console && npx --no-install vitest run --silent --reporter dot)
	$(call timed,svelte,cd console && npx --no-install svelte-check --tsconfig ./tsconfig.json --fail-on-warnings --output machine)

# After a change of the API: its description, and the console's types and calls.
generate: $(VENV)/.ready console/node_modules/.ready
	$(BIN)/python -m fasciculus.service.http.describe > console/openapi.json
	cd console && npm run --silent generate

bench: setup
	$(BIN)/python -m bench

# One file to install, the built console in it.
wheel: setup
	$(BIN)/pip wheel --quiet --no-deps --wheel-dir dist .

# Version, changelog, wheel and checksums: make release VERSION=1.2.3
release: setup
	$(BIN)/python .ci/release.py $(VERSION)

screenshots: setup
	$(BIN)/python docs/screenshots/make.py

clean:
	rm -rf $(VENV) console/node_modules src/fasciculus/service/console .demo build dist \
	  .pytest_cache .mypy_cache .ruff_cache .hypothesis .import_linter_cache src/*.egg-info
