# Two commands do everything: `make demo` and `make test`.
PORT ?= 8640
HOST ?= 127.0.0.1
# Processes that test side by side.
JOBS ?= 2
# Modules are compiled once and kept, whatever the surroundings say: a process of the server starts half a second
# sooner, and tests start dozens of them.
unexport PYTHONDONTWRITEBYTECODE
PY := .venv/bin/python
CORE := $(shell find limus -name '*.py') limus/common/kernels.txt
SOURCES := $(shell find web/src web/public -type f 2>/dev/null) web/index.html web/vite.config.ts web/package.json

# Parts that do not wait for each other are made side by side.
TOGETHER = @$(MAKE) --silent --jobs 3

.PHONY: setup ready demo test times check check-core check-page bench fuzz screenshots gallery mutate types format \
	kernels clean browser

setup:
	$(TOGETHER) .venv/.ready web/dist/manifest.json

# What tests need.
ready:
	$(TOGETHER) .venv/.ready web/dist/manifest.json browser var/.compiled

.venv/.ready: requirements.txt requirements-dev.txt pyproject.toml
	@sh tools/python.sh
	@touch $@

web/node_modules/.ready: web/package.json web/package-lock.json
	@sh tools/node.sh
	@cd web && npm ci --no-audit --no-fund --loglevel=error
	@touch $@

web/dist/manifest.json: web/node_modules/.ready $(SOURCES)
	@cd web && npx --no-install vite build --logLevel warn

# Compiled once, on all cores, before anybody waits for it.
var/.compiled: .venv/.ready $(CORE)
	@echo "Compiling ..." && .venv/bin/limus compile
	@mkdir -p var && touch $@

demo:
	$(TOGETHER) .venv/.ready web/dist/manifest.json var/.compiled
	@exec $(PY) manage.py serve --demo --host $(HOST) --port $(PORT)

browser:
	@sh tools/browser.sh

test: ready
	@$(PY) -W ignore::UserWarning manage.py test --noinput --parallel $(JOBS) $(or $(ARGS),tests)

# The same, and what each class took is noted: the longest are begun first.
times: ready
	@LIMUS_TIMES=1 $(PY) -W ignore::UserWarning manage.py test --noinput --parallel $(JOBS) tests

check: setup
	$(TOGETHER) check-core check-page
	@echo "Checks passed."

check-core:
	@.venv/bin/ruff format --check . && .venv/bin/ruff check . && .venv/bin/mypy

check-page:
	@cd web && npx --no-install prettier --check --log-level warn src tests && npx --no-install eslint src tests --max-warnings 0 && npx --no-install vue-tsc --noEmit

format: setup
	@.venv/bin/ruff format . && .venv/bin/ruff check --fix . ; cd web && npx --no-install prettier --write --log-level warn src tests

types: setup
	@mkdir -p var && $(PY) manage.py export_openapi_schema --api server.api.api.api --output var/openapi.json
	@cd web && npx --no-install openapi-typescript ../var/openapi.json -o src/api/schema.d.ts && npx --no-install prettier --write --log-level warn src/api/schema.d.ts

# Thousands of mutated files, documents and strokes; LIMUS_FUZZ of each kind.
fuzz: setup
	@LIMUS_FUZZ=$(or $(CASES),1000) $(PY) -W ignore::UserWarning manage.py test --noinput tests.hostile.test_fuzz

bench: setup
	@$(PY) -m bench
	@$(PY) -W ignore::UserWarning manage.py bench_drag

screenshots: setup browser
	@$(PY) tools/screenshots.py

# Every effect on five objects, into var/gallery; see the head of the tool.
gallery: setup browser
	@$(PY) -m tools.gallery

# What no test would notice: changes the code of a room, CASES places of it.
mutate: setup
	@$(PY) tools/mutate.py $(ROOM)

# Compiled code, where a function changed that kernels of other files take in.
kernels:
	@find limus -name "*.nb[ic]" -delete && rm -f var/.compiled

clean:
	rm -rf .venv web/node_modules web/dist var
