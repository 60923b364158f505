"""Proof's own arithmetic: in plain Python it gives what the engine gives, and where the engine is broken on purpose it says so."""

import random

import numpy as np
import pytest
from msgspec.structs import replace

from foldbasket.errors import FoldBasketError
from foldbasket.folding.engine import Engine
from foldbasket.folding.proof import proof_of
from foldbasket.folding.states import runs as of_runs
from foldbasket.folding.states.aggregates.aggregate import AGGREGATES, Block, State
from foldbasket.links.source import Source
from foldbasket.spec.fold import Fold, Measure
from tests.folding.build import placed, ref
from tests.folding.statement.test_random_statements import LINKS, random_fold, random_tables
from tests.rounds import seeds

CELLS = 25


@pytest.mark.parametrize("seed", seeds(20))
def test_random_cells_are_the_same_by_hand(seed):
    """Of 20 times 25 cells, of folds of every kind."""
    rng = random.Random(seed * 17 + 3)
    engine = Engine(Source({each.name: each for each in random_tables(rng)}, LINKS))
    proved = 0
    while proved < CELLS:
        fold = random_fold(rng)
        try:
            report = engine.fold(fold)
        except FoldBasketError:
            continue  # a fold that is refused has nothing to prove
        if not report.height or not report.width or fold.totals_cover == "shown":
            continue
        for _ in range(5):
            row, column = rng.randrange(report.height), rng.randrange(report.width)
            proof = proof_of(engine, fold, report, row, column)
            assert proof.agrees, (seed, proof.measure, proof.where, proof.by_hand)
            proved += bool(proof.by_hand)


@pytest.mark.parametrize("name", [each.name for each in AGGREGATES if each.name != "list"])
def test_every_aggregate_has_a_way_by_hand(name):
    rng = random.Random(5)
    engine = Engine(Source({each.name: each for each in random_tables(rng)}, LINKS))
    settings = {
        "weighted average": {"weight": ref("Lines.Qty")},
        "first": {"order": ref("Lines.Sold")},
        "last": {"order": ref("Lines.Sold")},
    }
    made = Measure("m", name, None if name == "count" else ref("Lines.Net"), **settings.get(name, {}))
    fold = Fold("f", (made,), (placed("Lines.Site"),))
    report = engine.fold(fold)
    for row in range(report.height):
        proof = proof_of(engine, fold, report, row, 0)
        assert proof.by_hand, proof.not_by_hand
        assert proof.agrees, (proof.where, proof.by_hand)


# --- an engine broken on purpose ------------------------------------------------


def off_by_one(block: Block) -> Block:
    """A block whose first cell is wrong."""
    data = block.data.copy()
    data.flat[0] = data.flat[0] + 1
    return replace(block, data=data)


def breaks_finish(name):
    def broken(monkeypatch):
        kind = type(AGGREGATES[name])
        real = kind.finish
        monkeypatch.setattr(kind, "finish", lambda self, *rest: off_by_one(real(self, *rest)))

    return broken


def breaks_merging(monkeypatch):
    """States merged as the largest instead of the sum."""
    real = State.merge.fget
    monkeypatch.setattr(State, "merge", property(lambda self: np.maximum if self is State.SUM else real(self)))


def breaks_runs(name, wrong):
    def broken(monkeypatch):
        real = getattr(of_runs, name)
        monkeypatch.setattr(of_runs, name, lambda *rest: wrong(real(*rest)))

    return broken


WAYS = {
    "a sum is off by one": ("sum", breaks_finish("sum")),
    "an average is off": ("average", breaks_finish("average")),
    "records are miscounted": ("count", breaks_finish("count")),
    "values are miscounted": ("count values", breaks_finish("count values")),
    "the smallest is not": ("smallest", breaks_finish("smallest")),
    "a range is too wide": ("range", breaks_finish("range")),
    "a weighted average is off": ("weighted average", breaks_finish("weighted average")),
    "totals are merged as the largest": ("sum", breaks_merging),
    "a median is turned": ("median", breaks_runs("percentile", lambda found: -found)),
    "different values are counted once too often": (
        "count different",
        breaks_runs("different", lambda found: found + 1),
    ),
    "a spread is halved": ("standard deviation", breaks_runs("squares", lambda found: found / 2)),
}


@pytest.mark.parametrize("way", WAYS)
def test_an_engine_broken_on_purpose_is_found_out(way, monkeypatch):
    name, breaks = WAYS[way]
    more = {"weight": ref("Lines.Qty")} if name == "weighted average" else {}
    made = Measure("m", name, None if name == "count" else ref("Lines.Net"), **more)
    fold = Fold("f", (made, Measure("n", "count")), (placed("Lines.Site"),))
    tables = {each.name: each for each in random_tables(random.Random(9))}

    def agreeing():
        engine = Engine(Source(tables, LINKS))
        report = engine.fold(fold)
        return [proof_of(engine, fold, report, row, 0).agrees for row in range(report.height)]

    assert all(agreeing())
    breaks(monkeypatch)
    assert not all(agreeing()), "nobody would have noticed"
