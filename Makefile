# make demo: see it. make test: check it. Both set up all they need.
SHELL := /bin/bash
PYTHON ?= python3
PY := .venv/bin/python
DEMO := DJANGO_SETTINGS_MODULE=kilter.site.settings_demo
# One thread for BLAS: the matrices are small, and two cores are shared with the browser.
export OPENBLAS_NUM_THREADS := 1
# What Python compiles is kept, wherever it starts: a server or a command starts in a third of the time.
unexport PYTHONDONTWRITEBYTECODE
export PYTHONPYCACHEPREFIX := $(CURDIR)/.venv/pycache

.PHONY: demo demo-reset dev test sweep check check-scripts hooks assets assets-check bench soak shots requirements clean

demo: .venv/app
	$(DEMO) $(PY) manage.py demo

demo-reset: .venv/app
	$(DEMO) $(PY) manage.py demo --reset --no-serve

# The demo garden on the development server, which starts anew when a file of Python changes.
dev: .venv/dev
	$(DEMO) $(PY) manage.py demo --no-serve
	DJANGO_SETTINGS_MODULE=kilter.site.settings_dev $(PY) manage.py runserver

test: .venv/dev browser
	$(PY) -m pytest -n auto --dist worksteal

# What the tests take in turn, all of it; and what they draw by chance, drawn anew.
sweep: .venv/dev browser
	KILTER_RANDOM=1 $(PY) -m pytest -n auto --dist worksteal -m "sweep or hypothesis"

check: .venv/dev assets-check check-scripts
	$(PY) -m ruff check kilter tests demo manage.py
	$(PY) -m ruff format --check kilter tests demo manage.py
	$(PY) -m mypy
	.venv/bin/lint-imports
	.venv/bin/djlint kilter --lint --quiet
	$(PY) -m pytest -q -p no:cacheprovider tests/web/test_pages.py -k templates
	$(PY) manage.py makemigrations --check --dry-run
	$(PY) -m kilter.core.handbook.rows
	$(PY) -m tests.share

check-scripts: node_modules/.done
	npx --no-install prettier --check --log-level warn "kilter/site/static/kilter/!(*.min).js" "tests/js/*.mjs" assets eslint.config.mjs
	npx --no-install eslint --max-warnings 0 kilter/site/static assets tests/js eslint.config.mjs
	node --experimental-vm-modules --no-warnings --test tests/js/

# Runs make check before each commit.
hooks: .venv/dev
	.venv/bin/pre-commit install

assets: node_modules/.done
	node assets/build.mjs

assets-check: assets
	@git diff --exit-code --stat -- kilter/site/static tests/browser/vendor || \
	  { echo "The built assets are not current: run make assets and commit them."; exit 1; }

bench: .venv/dev browser
	DJANGO_SETTINGS_MODULE=kilter.site.settings_test $(PY) -m tests.bench
	DJANGO_SETTINGS_MODULE=kilter.site.settings_demo $(PY) -m tests.bench.cold

# A server in use for twenty minutes: memory, threads, files.
soak: .venv/dev
	DJANGO_SETTINGS_MODULE=kilter.site.settings_test $(PY) -m tests.bench soak

shots: .venv/dev browser
	DJANGO_SETTINGS_MODULE=kilter.site.settings_demo $(PY) -m tests.browser.shots

requirements:
	.venv/bin/python -m pip install -q uv
	cd requirements && for f in app dev; do ../.venv/bin/uv pip compile -q --generate-hashes --no-emit-index-url \
	  --no-header --universal --python-version 3.11 $$f.in -o $$f.txt; done

.venv/made:
	@bash scripts/make_venv.sh $(PYTHON)
	@touch $@

# The list is its own constraint: an older pip would take the newest of a package asked for with an extra.
INSTALL := $(PY) -m pip install -q --no-compile --disable-pip-version-check --require-hashes

.venv/app: requirements/app.txt .venv/made
	$(INSTALL) -r $< -c $<
	@touch $@

.venv/dev: requirements/dev.txt .venv/app
	$(INSTALL) -r $< -c $<
	@touch $@

node_modules/.done: package-lock.json
	@# not "npm ci": it demands lock entries for platforms whose binaries a registry may not hold
	npm install --no-save --no-audit --no-fund --ignore-scripts
	@touch $@

.PHONY: browser
browser:
	@bash scripts/need_browser.sh

clean:
	rm -rf .venv node_modules .demo .static
