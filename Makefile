# Notcher's commands. `make demo` and `make test` do all the set-up they need.
PY := .venv/bin/python

.PHONY: demo setup setup-dev test test-fast lint bench bench-short models screenshots demo-data requirements

demo: setup
	.venv/bin/notcher demo

setup:
	@tools/setup.sh run

setup-dev:
	@tools/setup.sh dev

# On all cores; then what needs the only screen or the clock, by itself.
test: setup-dev
	QT_QPA_PLATFORM=offscreen $(PY) -m pytest -n auto --dist loadfile -m "not alone"
	QT_QPA_PLATFORM=offscreen $(PY) -m pytest -m alone

# For daily work: without the window and what takes more than a moment.
test-fast: setup-dev
	QT_QPA_PLATFORM=offscreen $(PY) -m pytest -n auto --dist loadfile -m "not alone and not slow"

lint: setup-dev
	.venv/bin/ruff check src tests demo benchmarks tools
	.venv/bin/ruff format --check src tests demo benchmarks tools
	.venv/bin/mypy
	.venv/bin/lint-imports

bench: setup-dev
	QT_QPA_PLATFORM=offscreen $(PY) -m benchmarks.run

# For daily work: other guitars through one amplifier, and places, printed and not written down.
bench-short: setup-dev
	QT_QPA_PLATFORM=offscreen $(PY) -m benchmarks.amplifier
	QT_QPA_PLATFORM=offscreen $(PY) -m benchmarks.places

# Makes the models that their code has left behind, in order (the same two packages as demo-data); CHECK=1 only says which.
models: setup-dev
	$(PY) -m tools.models $(if $(CHECK),check,make)

screenshots: setup-dev
	QT_QPA_PLATFORM=offscreen $(PY) -m benchmarks.screenshots

# Renders the demo recording (needs Debian's fluidsynth and fluid-soundfont-gm) and measures it anew.
demo-data: setup-dev
	$(PY) -m demo.render
	$(PY) -m demo.project

# Pins the newest versions with their hashes, without download addresses.
requirements: setup-dev
	$(PY) -m pip install -q pip-tools
	for kind in run dev; do $(PY) -m piptools compile -q --allow-unsafe --generate-hashes --no-emit-index-url \
		--no-emit-find-links --no-emit-trusted-host --no-header --strip-extras requirements/$$kind.in \
		-o requirements/$$kind.txt; done
