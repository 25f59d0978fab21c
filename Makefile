# make demo   sets up and serves the product with the demo scenario
# make test   sets up and runs every check
# The other targets are listed in the README.

PYTHON ?= python3
BIN := .venv/bin
PORT ?= 8000
DEMO_VAR := var/demo
export APEX_VAR ?= var

.PHONY: demo demo-reset test bench assets docs screenshots serve lock

# hashed requirements; a stamp so that a second start takes seconds
.installed-runtime: requirements/runtime.txt
	test -x $(BIN)/python || $(PYTHON) -m venv .venv
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --require-hashes -r requirements/runtime.txt
	touch $@

.installed-dev: .installed-runtime requirements/dev.txt
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --require-hashes -r requirements/dev.txt
	touch $@

demo: .installed-runtime
	@APEX_VAR=$(DEMO_VAR) $(BIN)/python manage.py warm
	@APEX_VAR=$(DEMO_VAR) $(BIN)/python manage.py migrate -v0
	@APEX_VAR=$(DEMO_VAR) $(BIN)/python manage.py load_demo
	@APEX_VAR=$(DEMO_VAR) APEX_DEMO=1 exec $(BIN)/python manage.py serve --port $(PORT)

demo-reset: .installed-runtime
	rm -rf $(DEMO_VAR)
	@APEX_VAR=$(DEMO_VAR) $(BIN)/python manage.py migrate -v0
	@APEX_VAR=$(DEMO_VAR) $(BIN)/python manage.py load_demo

serve: .installed-runtime
	@$(BIN)/python manage.py warm
	@$(BIN)/python manage.py migrate -v0
	@exec $(BIN)/python manage.py serve --port $(PORT)

test: .installed-dev
	scripts/need_chromium
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/python manage.py makemigrations --check --dry-run
	$(BIN)/lint-imports --no-logo
	$(BIN)/mypy --cache-dir $(CACHE)/mypy apexcore apextrim demo tests scripts
	$(BIN)/python manage.py warm
	$(BIN)/python -m pytest -n 2 --dist loadgroup
	scripts/check_assets

bench: .installed-dev
	@$(BIN)/python manage.py warm
	@$(BIN)/python -m scripts.bench

assets:
	npm ci --ignore-scripts
	npm run build

docs: .installed-dev
	$(BIN)/python -m scripts.docs

screenshots: .installed-dev
	scripts/need_chromium
	$(BIN)/python -m scripts.screenshots

lock:
	$(BIN)/python -m pip install --quiet pip-tools
	cd requirements && for name in runtime dev; do ../$(BIN)/pip-compile --quiet --generate-hashes --strip-extras --allow-unsafe --no-header --no-annotate --no-emit-index-url --no-emit-trusted-host --no-emit-find-links -o $$name.txt $$name.in; done
