# make help lists what there is.

PYTHON ?= python3
BIN := .venv/bin
PORT ?= 8000
DEMO_VAR := var/demo
#: Kept between clones of one machine: compiled kernels and checked types.
CACHE := $(or $(XDG_CACHE_HOME),$(HOME)/.cache)/apex-trim
START := apextrim.management.start
CODE := apexcore apextrim demo tests scripts
TEMPLATES = $(shell find apextrim -name '*.html')
export APEX_VAR ?= var
# compiled modules and rewritten tests are kept: without them every process compiles all of it again
unexport PYTHONDONTWRITEBYTECODE

.PHONY: thorough times story recordings sample help setup demo demo-reset serve test quick checks bench mutants assets docs proof screenshots lock fuzz crash load backup restore

help: ## this list
	@grep -E '^[a-z-]+:.*##' Makefile | sed -E 's/^([a-z-]+):.*## /  make \1\t/' | expand -t 22

# hashed requirements; a stamp so that a second start takes seconds
.installed-runtime: requirements/runtime.txt
	@$(PYTHON) -m $(START) install runtime

.installed-recordings: .installed-runtime requirements/recordings.txt
	@$(PYTHON) -m $(START) install recordings

.installed-dev: .installed-recordings requirements/dev.txt
	@$(PYTHON) -m $(START) install dev

recordings: .installed-recordings ## libraries for files of recordings; make demo and make serve install them by themselves

demo: ## sets up and serves the product with the demo scenario
	@APEX_VAR=$(DEMO_VAR) exec $(PYTHON) -m $(START) demo --port $(PORT)

demo-reset: ## throws the demo's data away; the next make demo loads it anew
	rm -rf $(DEMO_VAR)

serve: ## sets up and serves the product with your own data
	@exec $(PYTHON) -m $(START) serve --port $(PORT)

backup: .installed-runtime ## copies your data's database while it is in use, and checks the copy
	@$(BIN)/python manage.py backup

restore: .installed-runtime ## puts a backup back after checking it: make restore FILE=...
	@$(BIN)/python manage.py restore "$(FILE)"

setup: .installed-dev ## everything that tests need, without running one
	@$(BIN)/python -m apexcore.warm > /dev/null

checks: .installed-dev ## style, import contracts, templates and types
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/lint-imports --no-logo
	$(BIN)/djade --target-version 5.2 --check $(TEMPLATES)
	$(BIN)/djlint --lint --quiet apextrim
	$(BIN)/mypy --cache-dir $(CACHE)/mypy $(CODE)
	scripts/check_assets

quick: .installed-dev ## checks, and every test that needs neither a browser nor many laps or worlds
	@$(BIN)/python -m apexcore.warm > /dev/null
	@scripts/beside "$(MAKE) -s checks" $(BIN)/python -m pytest -n 2 -m "not slow" --ignore tests/browser

test: .installed-dev ## every check and test, worlds and random cases by the ten
	@scripts/need_chromium
	@$(BIN)/python -m apexcore.warm > /dev/null
	@scripts/beside "$(MAKE) -s checks" $(BIN)/python -m pytest -n 2 --dist loadgroup

thorough: .installed-dev ## worlds, random cases and oracles by the hundred; CI runs it after make test
	@$(BIN)/python -m apexcore.warm > /dev/null
	@APEX_THOROUGH=1 $(BIN)/python -m pytest -n 2 -m "thorough or thorough_only"

times: .installed-dev ## how long start, again, make quick and make test take, beside the machine's speed: WHAT=start, suite, or tests for the list of slow ones
	@$(BIN)/python -m scripts.times $(WHAT)

mutants: .installed-dev ## do the tests bite: changes formulas of the core and lines of the site one at a time
	@$(BIN)/python -m scripts.mutants

fuzz: .installed-dev ## hostile files at every door: FILES of them each, from seed FIRST on
	@$(BIN)/python -m apexcore.warm > /dev/null
	@APEX_VAR=$$(mktemp -d) $(BIN)/python -m scripts.fuzz --files $(or $(FILES),10000) --first $(or $(FIRST),0)

crash: .installed-dev ## kills whoever writes, 200 times, then with power failures, and plays a full disk: nothing acknowledged may be lost
	@APEX_VAR=$$(mktemp -d) $(BIN)/python -m scripts.crash --kills $(or $(KILLS),200)
	@APEX_VAR=$$(mktemp -d) $(BIN)/python -m scripts.crash --kills $(or $(KILLS),200) --power

load: .installed-dev ## each page alone, then fifty racers at once: times, errors, memory
	@$(BIN)/python -m apexcore.warm > /dev/null
	@$(BIN)/python -m scripts.load

bench: .installed-dev ## times of the core's heavy parts beside plain references
	@$(BIN)/python -m apexcore.warm > /dev/null
	@$(BIN)/python -m scripts.bench

assets: ## styles, fonts and scripts from their sources (needs Node)
	npm ci --ignore-scripts
	npm run build

docs: .installed-dev ## docs/proof.md, docs/effects.md and docs/glossary.md from the code
	$(BIN)/python -m scripts.docs

proof: docs ## the same: docs/proof.md is part of it

screenshots: .installed-dev ## docs/screenshots from the demo's data
	scripts/need_chromium
	$(BIN)/python -m scripts.screenshots

story: .installed-dev ## demo/events: drives the demo's story anew and keeps its events as files
	@$(BIN)/python -m scripts.story

sample: .installed-dev ## the weekend that a new account may copy, from the demo
	@$(BIN)/python -m scripts.sample

lock: ## requirements/*.txt from requirements/*.in
	$(PYTHON) -m pip --python $(BIN)/python install --quiet pip-tools
	cd requirements && for name in runtime recordings dev; do ../$(BIN)/pip-compile --quiet --generate-hashes --strip-extras --allow-unsafe --no-header --no-annotate --no-emit-index-url --no-emit-trusted-host --no-emit-find-links -o $$name.txt $$name.in; done
