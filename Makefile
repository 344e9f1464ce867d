# Two commands do all set-up: `make demo` runs the full example, `make test` passes the tests.
PYTHON ?= python3
VENV   := .venv
BIN    := $(VENV)/bin

# Tests start the program hundreds of times: what Python compiled is kept, also where it is told not to.
unexport PYTHONDONTWRITEBYTECODE

.PHONY: demo test lint audit fuzz tables mutants clean

# A Debian without the package python3-venv can still make one through pip.
$(BIN)/python:
	$(PYTHON) -m venv $(VENV) 2>/dev/null || { rm -rf $(VENV); \
	  $(PYTHON) -m pip install --quiet --user --break-system-packages virtualenv 2>/dev/null \
	    || $(PYTHON) -m pip install --quiet --user virtualenv; \
	  $(PYTHON) -m virtualenv --quiet $(VENV); }

$(VENV)/.with-static: $(BIN)/python pyproject.toml
	$(BIN)/pip install --quiet --disable-pip-version-check -e '.[static]'
	touch $@

$(VENV)/.with-dev: $(BIN)/python pyproject.toml
	$(BIN)/pip install --quiet --disable-pip-version-check -e '.[static,dev]'
	touch $@

demo: $(VENV)/.with-static
	$(BIN)/aventrik demo tarrowby

lint: $(VENV)/.with-dev
	$(BIN)/ruff check .
	$(BIN)/mypy
	$(BIN)/bandit --quiet --recursive src --configfile pyproject.toml
	@$(MAKE) --no-print-directory audit

# Known faults of the packages that are installed. Where their list can't be fetched, that is said and nothing fails.
audit: $(VENV)/.with-dev
	@$(BIN)/python tools/audit.py

test: lint
	$(BIN)/python -m pytest

# 2,000 cases for each door by which something comes in; `make test` gives each 60.
fuzz: $(VENV)/.with-dev
	FUZZ_CASES=2000 $(BIN)/python -m pytest tests/fuzz

# Do the tests notice a change of the code? Tries 200 of what could be changed in the core, drawn by lot.
mutants: $(VENV)/.with-dev
	$(BIN)/python tools/mutants.py

# The tables of the documents that follow from the code: stages and settings.
tables: $(VENV)/.with-dev
	$(BIN)/python -m tests.test_documents

clean:
	rm -rf $(VENV) tarrowby
