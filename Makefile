# Mistline: `make demo` shows it, `make test` proves it. Everything else is below.
.DEFAULT_GOAL := help
.PHONY: help demo start test bench setup lock types clean
PY := .venv/bin/python

help: ## Show this list
	@grep -E '^[a-z]+:.*## ' $(MAKEFILE_LIST) | sed -E 's/:.*## /\t/' | expand -t 10

demo: setup ## Set up what is missing and open Mistline with its demo data
	@$(PY) -m mistline.cli demo

start: setup ## Set up what is missing and open Mistline with your own data
	@$(PY) -m mistline.cli start

test: setup ## Set up what is missing, run all checks and tests
	@scripts/setup browser
	@scripts/check

bench: setup ## Measure speed against reference libraries, write docs/bench.md
	@scripts/setup browser
	@$(PY) -m bench

setup:
	@scripts/setup base

lock: ## Renew both lock files (needs uv); neither carries an address
	uv pip compile pyproject.toml --group dev --universal --python-version 3.11 --generate-hashes \
	  --no-header --no-annotate --no-emit-index-url --no-emit-find-links -o requirements.lock
	cd web && npm install --package-lock-only && node ../scripts/plain-lock.js

types: setup ## Renew what is generated: API description, web client's types, docs/measures.md
	@$(PY) -m mistline.cli openapi docs/openapi.json
	@$(PY) -m scripts.measures_page docs/measures.md
	@cd web && npm run --silent types

clean: ## Remove what set-up made (not your data)
	rm -rf .venv .setup web/node_modules web/dist
