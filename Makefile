# make demo   open the window with the demo job (without a display: a picture of it, in out/)
# make test   everything that is checked, as CI runs it
# make quick  lint and the core's tests, under a minute; make deep: long random runs
.PHONY: demo test deep quick touched setup warm lint bench shots lock clean

# What is compiled once is kept: dozens of tests start a Python of their own, each of which would compile it all again.
unexport PYTHONDONTWRITEBYTECODE

VENV := .venv
PY := $(VENV)/bin/python
READY := $(VENV)/.ready
WARM := $(VENV)/.warm

demo: $(WARM)
	@scripts/run-demo

# Kernels are compiled on one core while the other one reads the types. A window whose glass is not looked at needs no display:
# drawing it in software would take as long as all the rest. In the long runs every window is drawn.
test: $(READY)
	@$(MAKE) --no-print-directory -j2 lint warm
	@QT_QPA_PLATFORM=offscreen $(PY) -m pytest -n auto --dist loadscope --no-loadscope-reorder -m "not drawn" $(ARGS)
	@scripts/with-display $(PY) -m pytest -n auto -m drawn tests/app tests/cli $(ARGS)

# Random runs that are too long for every change: thousands of programs against the judge, every golden program, 500 entries of each
# operation, every window drawn, mutants.
deep: $(READY)
	@UNDERGLASS_DEEP=1 scripts/with-display $(PY) -m pytest -n auto tests/deep tests/app tests/core/control/test_plain.py tests/core/compose tests/core/removal/test_outlines.py tests/core/proof/test_restart.py tests/core/proof/test_any_program.py tests/core/files/test_every_entry.py tests/core/files/test_guess_any.py tests/core/files/test_guess_flat.py tests/core/files/test_practice.py tests/core/machine tests/core/proof/test_why.py tests/core/proof/test_slipped.py tests/core/trades/sheet/test_sheet_engine.py $(ARGS)
	@$(PY) -m tests.deep.mutants 60

# Under a minute: lint, types, and the core's tests that are touched most, beside each other.
quick: $(READY)
	@$(MAKE) --no-print-directory -j2 --output-sync=target lint touched

touched:
	@$(PY) -m pytest -q -n auto tests/core/control tests/core/language tests/deep $(ARGS)

lint: $(READY)
	$(VENV)/bin/ruff check src tests benchmarks
	$(VENV)/bin/ruff format --check src tests benchmarks
	$(VENV)/bin/mypy
	$(VENV)/bin/lint-imports

setup: $(READY)

warm: $(WARM)

# Kernels are compiled anew when one of the files that hold them changes.
$(WARM): $(READY) $(shell grep -rl "underglass.core.compiled import" src/underglass/core --include=*.py) src/underglass/core/compiled.py
	@echo "Compiling the kernels (once, half a minute or so)…"
	@$(PY) -m underglass warm
	@touch $(WARM)

# Done again only when what is installed changes; after it, nothing here needs a network.
$(READY): pyproject.toml requirements.lock scripts/setup
	@scripts/setup

bench: $(READY)
	@scripts/with-display $(PY) -m pytest benchmarks --benchmark-enable --benchmark-only -s $(ARGS)

shots: $(READY)
	@scripts/with-display $(VENV)/bin/underglass shots docs/screenshots

lock: $(READY)
	@{ echo "# Every package, runtime and tests, at one version. Made with 'make lock' from pyproject.toml."; \
	   $(PY) -m pip freeze --exclude-editable --all | grep -Ev '^(pip|-e)'; } > requirements.lock

clean:
	rm -rf $(VENV) out build
