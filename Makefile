# Commands for musicians and developers; each sets up what it needs first.
PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin
READY := $(VENV)/.ready

.PHONY: demo run test hunt lint bench screenshots docs format clean

demo: $(READY) ## Open the demo project (on a virtual display where there is none)
	@sh tools/demo.sh

run: $(READY) ## Open the window on an empty board
	@$(BIN)/arpegon

test: $(READY) ## Run all tests
	@sh tools/system-packages.sh test
	@$(BIN)/pytest

hunt: $(READY) ## Run the tests of properties with new and more examples
	@ARPEGON_EXAMPLES=hunt $(BIN)/pytest tests/core tests/processors tests/engine/test_promises.py tests/engine/test_windows.py

lint: $(READY) ## Check style, types and layers
	@$(BIN)/ruff check .
	@$(BIN)/ruff format --check .
	@$(BIN)/mypy src
	@$(BIN)/lint-imports

bench: $(READY) ## Measure, and write the table to docs/benchmarks.md
	@sh tools/system-packages.sh test
	@$(BIN)/python -c "import librosa" 2>/dev/null || $(BIN)/python -m pip install --quiet --disable-pip-version-check -e '.[bench]'
	@$(BIN)/python -m bench

screenshots: $(READY) ## Take docs/screenshots anew
	@sh tools/system-packages.sh test
	@$(BIN)/python -m tools.screenshots docs/screenshots

docs: $(READY) ## Write the generated docs anew
	@$(BIN)/python tools/write_docs.py

format: $(READY)
	@$(BIN)/ruff check --fix -q .
	@$(BIN)/ruff format -q .

$(READY): pyproject.toml
	@sh tools/system-packages.sh run
	@test -x $(BIN)/python || { echo "Making a virtual environment in $(VENV) ..."; $(PYTHON) -m venv $(VENV); }
	@echo "Installing Arpegon and what it needs into $(VENV) ..."
	@$(BIN)/python -m pip install --quiet --disable-pip-version-check -e '.[dev]'
	@touch $(READY)

clean:
	rm -rf $(VENV) build .pytest_cache .hypothesis .mypy_cache .ruff_cache .import_linter_cache
