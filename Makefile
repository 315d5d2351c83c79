# make demo: the main job on the demo data.  make test: lint, types and tests.
# make test WHOLE=1: also the cases that the everyday run leaves out.
# Each sets up a local virtual environment first; nothing but Python >= 3.11, pip and make is needed.
PYTHON ?= $(shell for p in python3.11 python3.12 python3.13 python3.14 python3; do \
    if $$p -c 'import sys; sys.exit(sys.version_info < (3, 11))' 2>/dev/null; then echo $$p; break; fi; done)
VENV := .venv
BIN := $(VENV)/bin
# one more than there are processors: many tests wait for programs
WORKERS ?= $(shell $(BIN)/python -c 'import os; print((os.cpu_count() or 1) + 1)')

.PHONY: demo test check bench phrases schema reference clean

# what the demo needs, and no more
$(VENV)/demo: pyproject.toml
	@if [ -z "$(PYTHON)" ]; then echo "Jam Key needs Python 3.11 or newer: set PYTHON=/path/to/python" >&2; exit 2; fi
	$(PYTHON) -m venv $(VENV)
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --upgrade pip  # older ones write a start script that loads more
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --no-compile -e '.[table]'
	# also where the environment keeps Python from writing byte code; the large packages, which are loaded once, are left out
	$(BIN)/python -m compileall -q -j 0 -x 'apiary|/(numpy|pandas|pip|setuptools)/' src/jamkey $(VENV)/lib
	touch $@

$(VENV)/ready: $(VENV)/demo
	$(BIN)/python -m pip install --quiet --disable-pip-version-check -e '.[dev]'
	$(BIN)/python -m compileall -q -j 0 -x '/(pip|setuptools)/|/tests?/' $(VENV)/lib || true  # some hold sources for other versions
	touch $@

demo: $(VENV)/demo
	$(BIN)/jamkey demo

check: $(VENV)/ready
	$(BIN)/ruff check .
	$(BIN)/mypy

test: check
	$(BIN)/python -m pytest -n $(WORKERS) --dist worksteal $(if $(WHOLE),--whole)

phrases: $(VENV)/ready
	$(BIN)/python -m jamkey.phrases

schema: $(VENV)/ready
	$(BIN)/python -m jamkey.views.schema docs/jam.schema.json

reference: $(VENV)/ready
	$(BIN)/python -m jamkey.doors.reference docs/reference

bench: $(VENV)/ready
	$(BIN)/python benchmarks/accuracy.py tests/corpus
	$(BIN)/python benchmarks/kept_apart.py --quick
	$(BIN)/python benchmarks/grammar.py --quick
	$(BIN)/python benchmarks/same.py tests/corpus --quick
	$(BIN)/python benchmarks/sentences.py tests/corpus --quick
	$(BIN)/python benchmarks/overhead.py

clean:
	rm -rf $(VENV) .pytest_cache .mypy_cache .ruff_cache
