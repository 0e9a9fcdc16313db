# `make demo` and `make test` do all the set-up themselves on a fresh machine.
.DEFAULT_GOAL := help
PYTHON ?= python3.11
VENV := .venv
BIN := $(VENV)/bin

help:                ## Show every command
	@grep -E '^[a-z]+:.*##' Makefile | sed -E 's/:.*## /\t/' | expand -t 12

setup: $(VENV)/ready ## Packages, environment and compiled kernels

$(VENV)/ready: pyproject.toml constraints.txt tools/packages.sh
	bash tools/packages.sh
	test -x $(BIN)/python || $(PYTHON) -m venv $(VENV)
	$(BIN)/python -m pip install --quiet --disable-pip-version-check -c constraints.txt setuptools wheel
	$(BIN)/python -m pip install --quiet --disable-pip-version-check -c constraints.txt --no-build-isolation -e '.[dev]'
	$(BIN)/python -m compileall -q felt_dial
	$(BIN)/python -m felt_dial.sound.compile
	touch $@

demo: setup          ## Open the window with the demo bank (on Xvfb where there is no display)
	bash tools/with_display.sh $(BIN)/felt-dial "Glasshouse at Dusk"

test: setup          ## Run all tests, without a display
	$(BIN)/python -m pytest -n 2 tests

lint: setup          ## Style, types, and which package may import which
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/mypy
	$(BIN)/lint-imports

bench: setup         ## Measure the loads of docs/performance.md
	$(BIN)/felt-dial bench
	$(BIN)/python tools/bench_window.py

shots: setup         ## Redraw the pictures of docs/screenshots from the demo bank
	$(BIN)/python tools/make_shots.py

docs: setup          ## Write docs/format.md and the JSON Schema anew from the models
	$(BIN)/python tools/make_docs.py

clean:               ## Remove the environment, caches and compiled kernels
	rm -rf $(VENV) .pytest_cache .mypy_cache .ruff_cache .import_linter_cache .hypothesis *.egg-info
	find . -name __pycache__ -type d -prune -exec rm -rf {} +

.PHONY: help setup demo test lint bench shots docs clean
