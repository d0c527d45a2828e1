# The two commands: `make demo` and `make test`. Both work from a fresh clone and need no other step.
PY := .venv/bin/python
FRONT := $(shell find frontend/src frontend/public frontend/index.html frontend/*.ts frontend/*.js -type f 2>/dev/null)

.PHONY: demo test test-long lint check-python check-front pytest bench pictures build setup clean

demo: .venv/.runtime src/cuvrel/web/static/index.html | system
	@CUVREL_VAR=$${CUVREL_VAR:-var} exec .venv/bin/cuvrel up

# linters and types beside the tests: neither waits for the other
test:
	@$(MAKE) --no-print-directory -j 2 lint pytest

lint: check-python check-front

.PHONY: system system-test
system:
	@bash tools/system.sh postgresql node python
system-test: system
	@bash tools/system.sh postgresql node python chromium

.venv/.runtime: requirements.txt pyproject.toml | system
	test -x $(PY) || python3 -m venv .venv
	$(PY) -m pip install --quiet --disable-pip-version-check --require-hashes -r requirements.txt
	$(PY) -m pip install --quiet --disable-pip-version-check --no-deps --no-build-isolation -e .
	@touch $@

.venv/.dev: requirements-dev.txt .venv/.runtime
	$(PY) -m pip install --quiet --disable-pip-version-check --require-hashes -r requirements.txt -r requirements-dev.txt
	@touch $@

frontend/node_modules/.stamp: frontend/package-lock.json | system
	cd frontend && npm ci --silent --no-audit --no-fund
	@touch $@

src/cuvrel/web/static/index.html: frontend/node_modules/.stamp $(FRONT)
	cd frontend && npm run --silent build
	@touch $@

build: src/cuvrel/web/static/index.html

setup: .venv/.dev build

check-python: .venv/.dev
	.venv/bin/ruff check .
	.venv/bin/ruff format --check .
	.venv/bin/mypy
	.venv/bin/lint-imports --no-cache
	bash tools/published.sh

check-front: frontend/node_modules/.stamp
	cd frontend && npm run --silent lint && npm run --silent check && npm run --silent test

pytest: .venv/.dev build | system-test
	$(PY) -m pytest -m "not long" -n auto --dist loadgroup --no-loadscope-reorder --durations=20

# what takes long and rarely tells: once a release
test-long: .venv/.dev build | system-test
	$(PY) -m pytest -m long -n auto --dist loadgroup --no-loadscope-reorder --durations=20

pictures: .venv/.dev build | system-test
	$(PY) -m tests.ui.pictures

bench: .venv/.dev
	$(PY) -m bench speed
	$(PY) -m bench mattes

clean:
	rm -rf .venv frontend/node_modules src/cuvrel/web/static
