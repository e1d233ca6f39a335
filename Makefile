PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin
SOURCES := pyproject.toml constraints.txt

.PHONY: demo test check bench screenshots charting demo-data clean

demo: $(VENV)/installed
	$(BIN)/gauger demo --out demo-output --replace

# Processes share the cores here, so each keeps to one thread; what threads must not change, tests ask for by number.
test: $(VENV)/installed-dev
	GAUGER_THREADS=1 OPENBLAS_NUM_THREADS=1 $(BIN)/pytest -n auto --dist loadfile

check: $(VENV)/installed-dev
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/mypy
	$(BIN)/lint-imports

bench: $(VENV)/installed-dev
	$(BIN)/python -m benchmarks

# The pictures need Debian's xvfb, xterm, imagemagick, chromium with its driver, and poppler-utils.
screenshots: $(VENV)/installed-dev
	$(BIN)/python docs/make_screenshots.py

# The charting library of the report's page, from npm: only what the page uses. Needs node.
charting:
	cd src/gauger/report/charting && npm install --no-package-lock --silent && npm run --silent bundle

# The shipped tables are made by a seeded script; a test compares the bytes.
demo-data: $(VENV)/installed
	$(BIN)/python -m gauger.demo.world

clean:
	rm -rf $(VENV) demo-output dist .mypy_cache .pytest_cache .ruff_cache .hypothesis .import_linter_cache

$(VENV)/bin/python:
	$(PYTHON) -m venv $(VENV)

$(VENV)/installed: $(VENV)/bin/python $(SOURCES)
	$(BIN)/python -m pip install --quiet --disable-pip-version-check -c constraints.txt -e .
	touch $@

$(VENV)/installed-dev: $(VENV)/bin/python $(SOURCES)
	$(BIN)/python -m pip install --quiet --disable-pip-version-check -c constraints.txt -e ".[dev]"
	touch $@ $(VENV)/installed
