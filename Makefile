# Two commands do everything on a fresh machine: `make demo` and `make test`.
VENV ?= .venv
BIN := $(VENV)/bin
# what is installed is compiled when it is first used: most of it never is
PIP = $(BIN)/pip install --quiet --no-compile
TEMPLATES := src/relvan/web/templates src/relvan/documents/templates src/standins/templates
# compiled code is kept: processes are started often here, and start in two thirds of the time
unexport PYTHONDONTWRITEBYTECODE
# a first problem, so that what fills cartons is compiled when it is installed and not at the bench
ONE_CARTON := {"items": [{"id": 1, "l": 1, "w": 1, "h": 1}], "cartons": [{"id": 1, "l": 1, "w": 1, "h": 1, "max_weight_g": 1, "cost": 1}]}
# two for each core, since a fifth of their time tests wait for the outside world
PYTEST = $(BIN)/pytest -n $$(($$(nproc) * 2)) --dist loadgroup --durations 10 --durations-min 1
FRESH ?=
SCALE ?=

.PHONY: demo test checks check-texts check-house lint types contracts screenshots lock vendor bench clean

$(VENV)/.ready: requirements.lock pyproject.toml requirements.in
	python3 -m venv $(VENV)
	$(PIP) -r requirements.lock
	$(PIP) --no-deps -e .
	@echo '$(ONE_CARTON)' | $(BIN)/relvan solve cartons > /dev/null
	@touch $@

$(VENV)/.ready-dev: $(VENV)/.ready requirements-dev.lock
	$(PIP) -r requirements-dev.lock
	@touch $@

demo: $(VENV)/.ready
	@sh tools/system-libraries.sh pdf
	@exec $(BIN)/relvan demo $(if $(FRESH),--fresh) $(if $(SCALE),--scale $(SCALE))

test: $(VENV)/.ready-dev
	@sh tools/system-libraries.sh pdf browser
	@sh tools/system-libraries.sh servers
	@$(MAKE) --no-print-directory check-texts
	@$(BIN)/mypy > $(VENV)/types.txt 2>&1 & types=$$!; \
	$(PYTEST); tests=$$?; \
	wait $$types; types=$$?; cat $(VENV)/types.txt; exit $$((tests | types))

# What takes a minute and needs no browser or server: run it before every commit.
checks: check-texts types check-house

# the tests that read the code itself, its templates and its documents
check-house: $(VENV)/.ready-dev
	$(BIN)/pytest --quiet tests/core/test_purity.py tests/web/test_rendering.py tests/web/test_patterns.py \
		tests/test_docs.py tests/api/test_rights.py

check-texts: $(VENV)/.ready-dev
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/djlint --check $(TEMPLATES) || (echo 'Laid out otherwise: `make lint` lays them out.' && exit 1)
	$(BIN)/djlint --quiet --lint src/relvan/web/templates
	$(BIN)/python tools/style.py --check
	$(BIN)/python tools/names.py
	$(BIN)/lint-imports

lint: $(VENV)/.ready-dev
	$(BIN)/ruff check --fix . && $(BIN)/ruff format .
	-$(BIN)/djlint --quiet --reformat $(TEMPLATES)
	$(BIN)/python tools/style.py

types: $(VENV)/.ready-dev
	$(BIN)/mypy

contracts: $(VENV)/.ready-dev
	$(BIN)/lint-imports

screenshots: $(VENV)/.ready-dev
	@sh tools/system-libraries.sh pdf browser
	$(BIN)/python tools/screenshots.py

bench: $(VENV)/.ready
	$(BIN)/relvan bench

vendor:
	python3 tools/vendor.py

lock: $(VENV)/.ready-dev
	$(BIN)/python tools/lock.py

clean:
	rm -rf var $(VENV)
