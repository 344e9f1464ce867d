# Two commands do all set-up: `make demo` runs the full example, `make test` passes the tests.
PYTHON ?= python3
VENV   := .venv
BIN    := $(VENV)/bin

.PHONY: demo test lint clean

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

test: lint
	$(BIN)/python -m pytest

clean:
	rm -rf $(VENV) tarrowby
