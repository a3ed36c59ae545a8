# `make demo` runs the whole example, `make test` the tests; both make their own virtual environment first.
PYTHON ?= python3
BIN := .venv/bin

.PHONY: demo test check node-frameworks schema screenshots clean

.venv/ready: pyproject.toml
	$(PYTHON) -m venv .venv
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --editable '.[dev]'
	touch $@

demo: .venv/ready
	$(BIN)/mappu demo

test: .venv/ready
	$(BIN)/python -m pytest

# What the tests of JavaScript services run as the truth; they are skipped where it is not there.
node-frameworks:
	npm install --prefix tests/node --no-package-lock --no-audit --no-fund --silent

check: .venv/ready
	$(BIN)/ruff check
	$(BIN)/ruff format --check --quiet
	$(BIN)/mypy
	$(BIN)/lint-imports

schema: .venv/ready
	$(BIN)/python -c "from mappu.inventory.files import json_schema; import sys; sys.stdout.buffer.write(json_schema())" > docs/inventory.schema.json

screenshots: .venv/ready
	docs/screenshots/take.sh

clean:
	rm -rf .venv harbour-demo
