# Everything on a fresh machine: "make demo" starts the demo, "make test" passes all tests.
VENV := .venv
BIN := $(VENV)/bin
READY := $(VENV)/.ready
TOOLS := $(VENV)/.tools
COMPILE := $(BIN)/pip-compile --quiet --generate-hashes --allow-unsafe --strip-extras --no-emit-index-url --no-emit-trusted-host --no-emit-find-links --no-emit-options --no-header

.PHONY: demo test quick bench lint lock schema screenshots clean

# What the demo and a shop run with.
$(READY): requirements.lock pyproject.toml tools/install.sh
	@tools/install.sh $(VENV) requirements.lock
	@touch $(READY)

# What tests, lint and measuring need besides.
$(TOOLS): $(READY) requirements-dev.lock
	@tools/install.sh $(VENV) requirements-dev.lock
	@touch $(TOOLS)

demo: $(READY)
	@$(BIN)/elmpeg serve --demo $(if $(PORT),--port $(PORT)) $(if $(FRESH),--fresh)

test: $(TOOLS)
	@tools/browser.sh
	@$(BIN)/python -m compileall -q src tests
	@$(BIN)/python -m tests

quick: $(TOOLS)
	@$(BIN)/python -m tests core store formats

bench: $(TOOLS)
	@tools/browser.sh
	@$(BIN)/python -m benchmarks.in_browser
	@$(BIN)/python -m benchmarks

lint: $(TOOLS)
	@$(BIN)/ruff check .
	@$(BIN)/ruff format --check .
	@$(BIN)/mypy

lock: $(TOOLS)
	@$(COMPILE) --upgrade --extra install --output-file requirements.lock pyproject.toml
	@$(COMPILE) --upgrade --extra install --extra dev --constraint requirements.lock --output-file requirements-dev.lock pyproject.toml

schema: $(READY)
	@$(BIN)/elmpeg schema > $(VENV)/build.schema.json
	@mv $(VENV)/build.schema.json src/elmpeg/formats/build.schema.json

screenshots: $(TOOLS)
	@tools/browser.sh
	@$(BIN)/python -m tests.browser.screenshots

clean:
	rm -rf $(VENV) var
