# Commands for musicians and developers; each sets up what it needs first.
PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin
READY := $(VENV)/.ready

.PHONY: help demo run test coverage hunt fuzz soak lint lint-look bench screenshots docs format install uninstall clean

help: ## Say what there is
	@grep -hE '^[a-z-]+:.*## ' $(MAKEFILE_LIST) | awk -F ':.*## ' '{printf "  make %-12s %s\n", $$1, $$2}'

demo: $(READY) ## Open the demo project (on a virtual display where there is none)
	@sh tools/demo.sh

run: $(READY) ## Open the window on an empty board
	@$(BIN)/arpegon

TESTS ?= tests
# One more at a time than there are cores, as much of the tests waits for music to be played.
JOBS ?= $(shell expr $$(nproc) + 1)
test: $(READY) ## Run all tests (TESTS=tests/core: some of them; JOBS=1: one after the other)
	@sh tools/system-packages.sh test
	@env -u PYTHONDONTWRITEBYTECODE $(BIN)/pytest -n $(JOBS) --dist worksteal $(TESTS)

coverage: $(READY) ## Run all tests, and say which lines none of them reached
	@sh tools/system-packages.sh test
	@$(BIN)/python -m coverage run -m pytest $(TESTS) && $(BIN)/python -m coverage combine -q && $(BIN)/python -m coverage report

STEPS ?= 1000000
hunt: $(READY) ## Run the tests of properties with new and more examples, a long walk (STEPS=1000000), and random gestures
	@ARPEGON_EXAMPLES=hunt ARPEGON_STEPS=$(STEPS) $(BIN)/pytest -n $(JOBS) --dist worksteal tests/core tests/processors \
	  tests/files tests/engine/test_promises.py tests/engine/test_windows.py tests/engine/test_one_stream.py \
	  tests/engine/test_long_walk.py
	@$(BIN)/python -m tools.gesture_walk

fuzz: $(READY) ## Give changed, hostile and real files to every reader for half an hour (MINUTES=5: shorter)
	@$(BIN)/python -c "import symusic" 2>/dev/null || $(BIN)/python -m pip install -qq --disable-pip-version-check -e '.[fuzz]'
	@$(BIN)/python -m tools.fuzz --minutes $(if $(filter file,$(origin MINUTES)),30,$(MINUTES)) --write

MINUTES ?= 60
soak: $(READY) ## Play, edit, unplug and kill for an hour (MINUTES=5: shorter), and count what was lost
	@sh tools/system-packages.sh test
	@$(BIN)/python -m tools.soak --minutes $(MINUTES) --write

lint-look: $(READY) ## Look at every editor and view, at three sizes and in all themes, for what is cut, faint or small
	@$(BIN)/python -m tools.look --all

lint: $(READY) ## Check style, types and layers
	@$(BIN)/ruff check .
	@$(BIN)/ruff format --check .
	@$(BIN)/mypy src
	@$(BIN)/lint-imports

bench: $(READY) ## Measure, and write the table to docs/benchmarks.md
	@sh tools/system-packages.sh test
	@$(BIN)/python -c "import librosa" 2>/dev/null || $(BIN)/python -m pip install -qq --disable-pip-version-check -e '.[bench]'
	@$(BIN)/python -m bench

screenshots: $(READY) ## Take docs/screenshots anew
	@sh tools/system-packages.sh test
	@$(BIN)/python -m tools.screenshots docs/screenshots

docs: $(READY) ## Write docs/processors.md and the schema anew
	@$(BIN)/python tools/write_docs.py

format: $(READY) ## Lay out the code
	@$(BIN)/ruff check --fix -q .
	@$(BIN)/ruff format -q .

PREFIX ?= $(HOME)/.local
OWN := $(PREFIX)/share/arpegon
install: ## Install it for good, with its entry in the menus (PREFIX=/usr/local: for everybody)
	@sh tools/system-packages.sh run
	@echo "Installing Arpegon and what it needs into $(PREFIX) ..."
	@$(PYTHON) -m venv $(OWN)/venv
	@$(OWN)/venv/bin/python -m pip install -qq --disable-pip-version-check --upgrade --force-reinstall --no-deps .
	@$(OWN)/venv/bin/python -m pip install -qq --disable-pip-version-check .
	@$(OWN)/venv/bin/python -m arpegon.desktop install $(PREFIX)

uninstall: ## Take away what make install put there
	@test ! -x $(OWN)/venv/bin/python || $(OWN)/venv/bin/python -m arpegon.desktop uninstall $(PREFIX)
	@rm -rf $(OWN)

$(READY): pyproject.toml $(wildcard src/arpegon/*/*.c src/arpegon/*/*/*.c)
	@sh tools/system-packages.sh run
	@test -x $(BIN)/python || { echo "Making a virtual environment in $(VENV) ..."; $(PYTHON) -m venv $(VENV); }
	@echo "Installing Arpegon and what it needs into $(VENV) ..."
	@$(BIN)/python -m pip install -qq --disable-pip-version-check -e '.[dev]'
	@touch $(READY)

clean: ## Remove what was installed and what tools left
	rm -rf $(VENV) build .coverage .pytest_cache .hypothesis .mypy_cache .ruff_cache .import_linter_cache
