# Chores. The two commands that matter are ./start and ./test.
python := .venv/bin/python
export PYTHONPATH := core/src:server:demo:ops

.PHONY: lint format api fuzz screenshots bench

lint:
	./test checks

format:
	.venv/bin/ruff check --fix . && .venv/bin/ruff format .
	cd web && npx --no-install biome check --write

# After a change of the API or of the commands: the description, the schema, the page of the docs, and the front end's types.
api:
	$(python) ops/describe_commands.py
	cd server && YUPLET_VAR=$(CURDIR)/var/test $(CURDIR)/$(python) manage.py spectacular --format openapi-json --file ../docs/api.json --fail-on-warn
	cd web && npm run api

# Ten minutes of documents and files that are changed by chance; what is found lies in core/var/fuzz. `make fuzz SECONDS=60`
SECONDS ?= 600
fuzz:
	cd core && PYTHONPATH=src:../demo ../$(python) -m tests.fuzzing $(SECONDS)

# While ./start is running: one picture of each main view, from the demo data.
screenshots:
	$(python) docs/screenshots/take.py

# While ./start is running: writes docs/measurements.md.
bench:
	$(python) bench/run.py
