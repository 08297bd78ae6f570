# Everything runs in .venv, which is made anew whenever pyproject.toml changes.
PYTHON ?= python3
BIN := .venv/bin
STAMP := .venv/.installed

.PHONY: demo test lint bench shots clean

$(STAMP): pyproject.toml
	$(PYTHON) -c 'import sys; sys.exit("Voskar needs Python 3.11 or newer, this is " + sys.version.split()[0] if sys.version_info < (3, 11) else 0)'
	test -x $(BIN)/python || $(PYTHON) -m venv .venv
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --editable '.[dev]'
	touch $@

demo: $(STAMP)
	$(BIN)/voskar demo --overwrite build/demo

test: $(STAMP) lint
	$(BIN)/python -m pytest -n auto

lint: $(STAMP)
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/mypy

bench: $(STAMP)
	$(BIN)/python bench/run.py

shots: $(STAMP)
	sh docs/screenshots/make.sh

clean:
	rm -rf .venv build .pytest_cache .mypy_cache .ruff_cache .hypothesis
