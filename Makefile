# Rainfront. `make demo` shows it, `make test` checks it.
SHELL := /bin/bash
PY := .venv/bin/python
# What is compiled once is kept, whatever the environment says: every command starts half a second sooner.
export PYTHONDONTWRITEBYTECODE :=
# --noinput: a run that was killed leaves its database behind, and the next one puts it away without asking.
ONE_CORE := OMP_NUM_THREADS=1 OPENBLAS_NUM_THREADS=1
TESTS := $(ONE_CORE) $(PY) -W ignore::DeprecationWarning manage.py test --noinput --verbosity 0
WHOLE := RAINFRONT_EXHAUSTIVE=yes $(TESTS) --parallel 2
ONLY ?= tests.core tests.talk tests.web tests.browser
.PHONY: help setup demo dev test test-core-web test-browser exhaustive survive lint types templates style contract coverage bench bench-long defects demo-shop bench-scale shots vendor lock schema upgrade

help: ## list the targets
	@grep -E '^[a-z-]+:.*##' $(MAKEFILE_LIST) | sed 's/:.*## /\t/'

setup: ## make .venv ready (idempotent, quiet)
	@scripts/setup.sh base

demo: setup ## migrate, load and serve the Brinholm Quay demo
	@scripts/serve_demo.sh

dev: ## what tests need: development packages, Debian's chromium, ngspice and nginx, html-validate for node
	@scripts/setup.sh dev
	@scripts/debian.sh
	@scripts/node.sh

test: dev lint ## everything: lint, types, import contract, core, web and browser tests; SLOWEST=20 adds the slowest
	@echo "Tests of the core, the web and through a browser, beside each other: a line for each module once it is through"
	@$(MAKE) --no-print-directory -j2 test-core-web test-browser

# A browser waits for pages much of its time, so that both together take little longer than the first alone.
test-core-web:
	@$(TESTS) --settings rainfront.settings.test --exclude-tag exhaustive --parallel 2 tests.core tests.talk tests.web

test-browser:
	@$(TESTS) --settings rainfront.settings.browser --exclude-tag exhaustive --parallel 2 tests.browser

exhaustive: dev ## whole grids: every page at every width, hostile input, kills, crowds, old versions; ONLY=tests.web.test_fuzz for one
	@$(if $(filter-out tests.browser%,$(ONLY)),$(WHOLE) --settings rainfront.settings.test $(filter-out tests.browser%,$(ONLY)))
	@$(if $(filter tests.browser%,$(ONLY)),$(WHOLE) --settings rainfront.settings.browser $(filter tests.browser%,$(ONLY)))

survive: dev ## 300 kills with clients that send again, killed imports, backups, restores and erasures, the watch against everything
	@$(WHOLE) --settings rainfront.settings.test tests.web.test_crowd tests.web.test_survives tests.web.test_watch tests.web.test_killed

lint: ## style, types, templates, import contract, beside each other
	@echo "Lint: types, templates, style, import contracts (half a minute)"
	@$(MAKE) --no-print-directory -j2 types templates style contract

types:
	@.venv/bin/mypy --no-error-summary

templates:
	@.venv/bin/djlint --quiet --lint rainfront

style:
	@.venv/bin/ruff check -q . && .venv/bin/ruff format -q --check .

contract:
	@.venv/bin/lint-imports --no-logo >/dev/null || .venv/bin/lint-imports

coverage: dev ## which lines the core and web tests reach, after running them
	@rm -rf var/coverage && mkdir -p var/coverage
	@.venv/bin/coverage run manage.py test --settings rainfront.settings.test --parallel 2 tests.core tests.talk tests.web
	@.venv/bin/coverage combine -q && .venv/bin/coverage report

bench: dev ## figures, as ratios against a reference in the same run, in under ten minutes
	@$(ONE_CORE) $(PY) -m bench

bench-long: dev ## the same against the exact optimum, simulated devices, learning and proofs, in its own time
	@$(ONE_CORE) $(PY) -m bench optimum examples devices proofs

defects: dev ## plant defects into a copy of the tree, one at a time, and list those that no test sees; takes hours
	@$(ONE_CORE) $(PY) -m bench.defects

shots: dev ## renew docs/screenshots from the demo data
	@$(PY) scripts/screenshots.py

demo-shop: dev ## play the demo's half year anew into rainfront/demo/brinholm_quay.zip (five minutes)
	@$(ONE_CORE) $(PY) scripts/demo_shop.py

bench-scale: dev ## every page at 1,000 and 50,000 jobs, eight people at 50,000, in its own time
	@$(ONE_CORE) $(PY) -m bench scale crowd

schema: setup ## renew the two schemas in docs/: of a case file and of a shop's archive
	@$(PY) scripts/write_schema.py

vendor: ## renew the shipped scripts, styles and fonts from npm
	@npm install --ignore-scripts --no-audit --no-fund --silent && python3 scripts/vendor.py

lock: dev ## renew the pinned requirements
	@for name in base dev; do .venv/bin/uv pip compile --quiet --generate-hashes --no-header --no-emit-index-url \
		--python-version 3.11 requirements/$$name.in -o requirements/$$name.txt; done

upgrade: ## a backup, then packages, migrations and static files of the version checked out (docs/deployment.md)
	@scripts/upgrade.sh
