# make demo   open the window with the demo job (without a display: a picture of it, in out/)
# make test   everything that is checked, as CI runs it
.PHONY: demo test setup lint bench shots lock clean

VENV := .venv
PY := $(VENV)/bin/python
READY := $(VENV)/.ready

demo: $(READY)
	@scripts/run-demo

test: $(READY) lint
	@scripts/with-display $(PY) -m pytest -n auto --dist loadscope $(ARGS)

lint: $(READY)
	$(VENV)/bin/ruff check src tests benchmarks
	$(VENV)/bin/ruff format --check src tests benchmarks
	$(VENV)/bin/mypy
	$(VENV)/bin/lint-imports

setup: $(READY)

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
