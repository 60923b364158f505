# Fold Basket: every command sets itself up first (see scripts/set-up).
.PHONY: demo test oracle fuzz walker level everything lint bench screenshots package clean
BIN := .venv/bin

demo:
	@scripts/set-up
	@$(BIN)/python -m foldbasket demo --or-render out

test:
	@scripts/set-up --tests
	@QT_QPA_PLATFORM=offscreen $(BIN)/python -m pytest -n 2 $(PYTEST)

# All that draws random cases, with twice as many as each asks for (make test draws a quarter), always the same ones; ROUNDS says how many times.
ROUNDS := 2
oracle:
	@scripts/set-up --tests
	@QT_QPA_PLATFORM=offscreen ORACLE_ROUNDS=$(ROUNDS) $(BIN)/python -m pytest -q -n 2 $$(grep -rl --include=*.py "rounds import seeds" tests)

# Mutated files of every format, and some thousand sentences that nobody would write, with fixed seeds: nothing but our own errors, nothing that never ends.
FILES := 2000
TEXTS := 10
fuzz:
	@scripts/set-up --tests
	@$(BIN)/python -m tests.fuzz.fuzz --rounds $(FILES)
	@ORACLE_ROUNDS=$(TEXTS) $(BIN)/python -m pytest -q -n 2 tests/sentence/test_wrong.py

# Random gestures with mouse and keys over demo and hostile data, with fixed seeds.
GESTURES := 20000
walker:
	@scripts/set-up --tests
	@QT_QPA_PLATFORM=offscreen $(BIN)/python -m tests.desktop.walker --gestures $(GESTURES)

# Memory and open files of one process over 30 windows, 200 baskets and 5,000 steps undone and redone: level within 5% after the first tenth.
level:
	@scripts/set-up --tests
	@QT_QPA_PLATFORM=offscreen $(BIN)/python -m tests.desktop.level

# Every control of every card, worked and undone, until nothing that a document can say of a fold is left unset: some minutes.
everything:
	@scripts/set-up --tests
	@QT_QPA_PLATFORM=offscreen $(BIN)/python -m pytest -q -n 2 -m everything tests/desktop

lint:
	@scripts/set-up --tests
	$(BIN)/ruff check src tests bench scripts/*.py
	$(BIN)/ruff format --check src tests bench scripts/*.py
	$(BIN)/mypy
	$(BIN)/lint-imports

bench:
	@scripts/set-up
	$(BIN)/python -m bench $(BENCH)

screenshots:
	@scripts/set-up
	QT_QPA_PLATFORM=offscreen $(BIN)/python scripts/screenshots.py docs/screenshots

# A wheel, and a Debian package with all it needs, in dist/. scripts/try-package tries it in a bare tree.
package:
	@scripts/package

clean:
	rm -rf .venv out build dist .pytest_cache .mypy_cache .ruff_cache .import_linter_cache src/*.egg-info
