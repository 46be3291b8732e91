# Two commands do everything: make demo, make test.
PORT ?= 8300
DATA ?= data/demo
FROM ?= ../shared/compute/cases
PY := .venv/bin/python
# Debian's own Python is built to be quick: it is taken where there is one that will do.
PYTHON := $(shell /usr/bin/python3 -c 'import ensurepip, sys, venv; sys.exit(sys.version_info < (3, 11))' 2>/dev/null && echo /usr/bin/python3 || echo python3)
# The tests wait for the disk after every event: memory is quicker where there is some.
TEMPROOT := $(shell a=$$(df -k --output=avail /dev/shm 2>/dev/null | tail -n 1); test "$${a:-0}" -gt 4000000 && echo /dev/shm || echo /tmp)

# Every server and command line that the tests start reads what the first of them compiled.
COMPILED := env -u PYTHONDONTWRITEBYTECODE PYTHONPYCACHEPREFIX=$(CURDIR)/.venv/compiled

.PHONY: demo test quick test-postgres bench robots load fuzz golden words rooms coverage mutants cases css lock screenshots

demo: .venv/ready
	.venv/bin/escuadra demo --port $(PORT) --data $(DATA)

test: .venv/dev-ready node_modules/.ready chromium
	.venv/bin/ruff check .
	.venv/bin/ruff format --check .
	.venv/bin/djlint escuadra --lint --quiet
	.venv/bin/mypy
	.venv/bin/lint-imports
	PYTEST_DEBUG_TEMPROOT=$(TEMPROOT) $(COMPILED) $(PY) -m pytest -n auto --maxprocesses 4 --dist loadgroup --no-loadscope-reorder

# Without a browser: what is run after every change.
quick: .venv/dev-ready node_modules/.ready
	.venv/bin/ruff check .
	.venv/bin/djlint escuadra --lint --quiet
	.venv/bin/mypy
	PYTEST_DEBUG_TEMPROOT=$(TEMPROOT) $(COMPILED) $(PY) -m pytest -n auto --maxprocesses 4 --dist worksteal -m "not slow" --ignore tests/e2e

test-postgres: .venv/dev-ready
	sh scripts/need.sh postgresql
	sh scripts/with_postgres.sh $(PY) -m pytest tests/store

# Small samples with their bounds, in ten to fifteen minutes; `make bench SAMPLES=whole` in more than an hour.
bench: .venv/dev-ready
	$(PY) bench/run.py $(SAMPLES)

# 20 writers and 50 open screens for a minute; odd text in every form, field and kind of calculation.
# The full race of robots, honest and with blunders: up to an hour.
robots: .venv/dev-ready
	$(PY) bench/honest.py

# Every line that the tests without a browser run, with its floor; which test runs which is kept for the mutants.
coverage: .venv/dev-ready node_modules/.ready
	PYTEST_DEBUG_TEMPROOT=$(TEMPROOT) $(PY) bench/covered.py

# A seeded sample of small errors in each room, each against the tests of its line: half an hour and more.
mutants: .venv/dev-ready node_modules/.ready
	PYTEST_DEBUG_TEMPROOT=$(TEMPROOT) $(PY) bench/mutants.py

load: .venv/dev-ready
	$(PY) bench/load.py

fuzz: .venv/dev-ready
	$(PY) bench/fuzz.py

cases:
	mkdir -p tests/cases && cp $(FROM)/*.json tests/cases/

css: node_modules/.ready
	npx @tailwindcss/cli -i styles/input.css -o escuadra/web/static/app.css --minify

screenshots: .venv/dev-ready
	$(PY) -m bench.screenshots

.venv/ready: requirements.lock pyproject.toml
	PYTHON=$(PYTHON) sh scripts/need.sh python pango
	test -x .venv/bin/python || $(PYTHON) -m venv .venv
	.venv/bin/pip install --quiet --require-hashes -r requirements.lock
	.venv/bin/pip install --quiet --no-deps --no-build-isolation -e .
	touch .venv/ready

.venv/dev-ready: requirements-dev.lock .venv/ready
	.venv/bin/pip install --quiet --require-hashes -r requirements-dev.lock
	touch .venv/dev-ready

node_modules/.ready: package-lock.json
	sh scripts/need.sh node
	npm ci --ignore-scripts --no-audit --no-fund
	touch node_modules/.ready

.PHONY: chromium
chromium:
	sh scripts/need.sh chromium

# Needs uv; names no registry in what it writes.
lock:
	for f in requirements requirements-dev; do \
	  uv pip compile --universal --generate-hashes --python-version 3.11 --no-header --no-emit-index-url \
	    --no-emit-find-links -o $$f.lock $$f.in; done

# The demo as it is told: words of every page, record and command, and every drawing; and all that every practice sheet
# tells when it is rehearsed. Tests compare.
golden: .venv/dev-ready
	$(PY) -m tests.golden.dump
	$(PY) -m tests.golden.sheets
	$(PY) -m tests.golden.methods
	$(PY) -m tests.golden.drawings

# Each language's file, and the practice catalogue, as the JSON that is read at start.
words: .venv/dev-ready
	$(PY) -m escuadra.words.compiled
	$(PY) -m escuadra.catalogue.compiled

# The rooms as the imports tell them and the walk of a reading, into docs/architecture.md; commands, into docs/commands.md.
rooms: .venv/dev-ready
	$(PY) scripts/rooms.py
	$(PY) scripts/walk.py
	$(PY) scripts/asked.py
