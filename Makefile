PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin
SOURCES := pyproject.toml constraints.txt
# Python compiles what is imported when it first is: a tenth of what is installed. A new pip takes half the time of an old.
INSTALL := pip install --quiet --disable-pip-version-check --no-compile
# Processes share the cores here, so each keeps to one thread; what threads must not change, tests ask for by number.
PYTEST := GAUGER_THREADS=1 OPENBLAS_NUM_THREADS=1 $(BIN)/pytest -n auto --dist loadfile

.PHONY: demo test test-all test-rest test-random check docs bench screenshots charting demo-data release-check clean test-oldest test-newest

demo: $(VENV)/installed
	$(BIN)/gauger demo --out demo-output --replace

test: $(VENV)/installed-dev
	$(PYTEST)

test-all: test test-rest

# What `make test` leaves out: tests marked `slow`, more examples of what is drawn at random, every place of what takes turns.
# SHARE=1/4 runs every fourth of them from the second on.
SHARE ?= 0/1
test-rest: $(VENV)/installed-dev
	$(PYTEST) -m "slow or hypothesis or by_turns" --hypothesis-profile=thorough --share $(SHARE)

# Other examples and another order each time. What is found here becomes an example of its test.
test-random: $(VENV)/installed-dev
	$(PYTEST) -m "" --hypothesis-profile=random --shuffle $$(date +%s)

check: $(VENV)/installed-dev
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/mypy
	$(BIN)/mypy --strict examples
	$(BIN)/lint-imports

# A static site into docs/_build/html, its pages run on the demo data; a warning or a broken link inside is an error.
docs: $(VENV)/installed-dev
	$(BIN)/python -m sphinx -b html -W --keep-going -q -j auto -d docs/_build/doctrees docs docs/_build/html

bench: $(VENV)/installed-dev
	$(BIN)/python -m benchmarks

# The pictures need Debian's xvfb, xterm, imagemagick, chromium with its driver, and poppler-utils.
screenshots: $(VENV)/installed-dev
	$(BIN)/python docs/make_screenshots.py

# The charting library of the report's page, from npm: only what the page uses. Needs node.
charting:
	cd src/gauger/report/charting && npm install --no-package-lock --silent && npm run --silent bundle

# The oldest and the newest versions that are promised, each in an environment of its own.
test-oldest test-newest: test-%: constraints-%.txt
	$(PYTHON) -m venv $(VENV)-$*
	$(VENV)-$*/bin/python -m $(INSTALL) --upgrade "pip>=25"
	$(VENV)-$*/bin/python -m $(INSTALL) -c constraints-$*.txt -e ".[dev]"
	NUMBA_CACHE_DIR=$(VENV)-$*/kernels $(subst $(BIN),$(VENV)-$*/bin,$(PYTEST)) -m "" --hypothesis-profile=thorough

# What must hold before a version is tagged, one step after the other.
release-check: $(VENV)/installed-dev
	$(BIN)/python release_check.py

# The shipped tables are made by a seeded script; a test compares the bytes.
demo-data: $(VENV)/installed
	$(BIN)/python -m gauger.demo.world

clean:
	rm -rf $(VENV) $(VENV)-oldest $(VENV)-newest demo-output dist docs/_build .mypy_cache .pytest_cache .ruff_cache .hypothesis .import_linter_cache

$(VENV)/bin/python:
	$(PYTHON) -m venv $(VENV)
	$(BIN)/python -m $(INSTALL) --upgrade "pip>=25"

$(VENV)/installed: $(VENV)/bin/python $(SOURCES)
	$(BIN)/python -m $(INSTALL) -c constraints.txt -e .
	touch $@

$(VENV)/installed-dev: $(VENV)/bin/python $(SOURCES)
	$(BIN)/python -m $(INSTALL) -c constraints.txt -e ".[dev]"
	touch $@ $(VENV)/installed
