# Everything on a fresh machine: "make demo" starts the demo, "make test" passes all tests.
VENV := .venv
BIN := $(VENV)/bin
READY := $(VENV)/.ready

.PHONY: demo test bench lint lock schema screenshots clean

$(READY): requirements.lock pyproject.toml tools/install.sh
	@tools/install.sh $(VENV)
	@touch $(READY)

demo: $(READY)
	@$(BIN)/elmpeg serve --demo $(if $(PORT),--port $(PORT)) $(if $(FRESH),--fresh)

test: $(READY)
	@tools/browser.sh
	@$(BIN)/python -m tests

bench: $(READY)
	@$(BIN)/python -m benchmarks

lint: $(READY)
	@$(BIN)/ruff check .
	@$(BIN)/ruff format --check .
	@$(BIN)/mypy

lock: $(READY)
	@$(BIN)/pip-compile --quiet --upgrade --extra dev --generate-hashes --allow-unsafe --strip-extras --no-emit-index-url --no-emit-trusted-host --no-emit-find-links --no-emit-options --no-header --output-file requirements.lock pyproject.toml

schema: $(READY)
	@$(BIN)/elmpeg schema > src/elmpeg/formats/build.schema.json

screenshots: $(READY)
	@tools/browser.sh
	@$(BIN)/python -m tests.browser.screenshots

clean:
	rm -rf $(VENV) var
