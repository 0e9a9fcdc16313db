# `make demo` and `make test` do all the set-up themselves on a fresh machine.
.DEFAULT_GOAL := help
VENV := .venv
BIN := $(VENV)/bin

help:                ## Show every command
	@grep -E '^[a-z]+:.*##' Makefile | sed -E 's/:.*## /\t/' | expand -t 12

setup: $(VENV)/ready  ## Packages, environment and compiled kernels, for the newest of Python 3.13, 3.12 and 3.11

$(VENV)/ready: pyproject.toml constraints.txt tools/packages.sh tools/setup.sh
	@bash tools/setup.sh $(VENV)

demo: setup          ## Open the window with the demo bank (on Xvfb where there is no display)
	bash tools/with_display.sh $(BIN)/felt-dial "Glasshouse at Dusk"

test: setup          ## Run all tests, without a display
	$(BIN)/python -m pytest -n 2 --dist worksteal tests

soak: setup          ## Try for long what `make test` tries briefly: random edits, kills, broken files
	$(BIN)/python -m pytest -n 2 --dist worksteal -m soak tests

lint: setup          ## Style, types, and which package may import which
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/mypy
	$(BIN)/lint-imports

others: setup         ## The same on the other Pythons that are installed: a start, a render, core tests
	bash tools/other_pythons.sh

bench: setup         ## Measure the loads of docs/performance.md
	$(BIN)/python -m bench
	$(BIN)/python -m bench.window
	$(BIN)/python -m bench.shelf
	$(BIN)/python -m bench.workshop
	$(BIN)/python -m bench.towards

shots: setup         ## Redraw the pictures of docs/screenshots from the demo bank
	$(BIN)/python tools/make_shots.py

docs: setup          ## Write docs/format.md and the JSON Schema anew from the models
	$(BIN)/python tools/make_docs.py

clean:               ## Remove the environment, caches and compiled kernels
	rm -rf $(VENV) .venv-3.* .pytest_cache .mypy_cache .ruff_cache .import_linter_cache .hypothesis *.egg-info
	find . -name __pycache__ -type d -prune -exec rm -rf {} +

.PHONY: help setup demo test soak lint others bench shots docs clean
