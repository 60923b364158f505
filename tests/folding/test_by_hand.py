"""Proof's own arithmetic: in plain Python it gives what the engine gives, and where the engine is broken on purpose it says so."""

import random

import msgspec
import numpy as np
import pytest
from msgspec.structs import replace

from foldbasket.errors import FoldBasketError
from foldbasket.folding.compare.running import Running
from foldbasket.folding.compare.shares import ShareOf
from foldbasket.folding.engine import Engine
from foldbasket.folding.layout.pickings.ends import Top
from foldbasket.folding.proof import proof_of
from foldbasket.folding.states import runs as of_runs
from foldbasket.folding.states.aggregates.aggregate import AGGREGATES, Aggregate, Block, State
from foldbasket.links.source import Source
from foldbasket.spec.comparison import offered
from foldbasket.spec.fold import Fold, Measure
from foldbasket.spec.order import Rest
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


# --- faults in every cell -------------------------------------------------------


def shifted(block: Block) -> Block:
    """A block in which every number is wrong."""
    return replace(block, data=wrong(block.data))


def wrong(data):
    return data * 2 + 1


NUMERIC = [each.name for each in AGGREGATES if each.name not in ("list",)]


@pytest.mark.parametrize("compare", [None, ShareOf(), Running("r1")])
@pytest.mark.parametrize("name", NUMERIC)
def test_a_fault_in_an_aggregate_is_reported_in_every_cell(name, compare, monkeypatch):
    settings = {
        "weighted average": {"weight": ref("Lines.Qty")},
        "first": {"order": ref("Lines.Sold")},
        "last": {"order": ref("Lines.Sold")},
    }
    made = Measure("m", name, None if name == "count" else ref("Lines.Net"), compare=compare, **settings.get(name, {}))
    fold = Fold("f", (made,), (placed("Lines.Site", id="r1"),))
    tables = {each.name: each for each in random_tables(random.Random(9))}
    kind = type(AGGREGATES[name])
    ordered, finished = kind.of_values, kind.finish
    if ordered is Aggregate.of_values:
        monkeypatch.setattr(kind, "finish", lambda self, *rest: shifted(finished(self, *rest)))
    else:  # those that need their values in order
        monkeypatch.setattr(kind, "of_values", lambda self, *rest: wrong(ordered(self, *rest)))
    engine = Engine(Source(tables, LINKS))
    report = engine.fold(fold)
    proved = [
        proof_of(engine, fold, report, row, 0) for row in range(report.height) if report.value(row, 0) is not None
    ]
    assert proved
    assert not any(each.agrees for each in proved)


FORMS = [(compare, said) for compare, said in offered()]


@pytest.mark.parametrize(("form", "said"), FORMS)
@pytest.mark.parametrize("seed", seeds(8))
def test_a_fault_in_a_comparison_is_reported_in_every_cell(form, said, seed, monkeypatch):
    rng = random.Random(seed)
    engine = Engine(Source({each.name: each for each in random_tables(rng)}, LINKS))
    rows = [placed("Lines.Site", id="r1"), placed("Lines.Sold", id="r2", part=rng.choice(["quarter", "month", "year"]))]
    rng.shuffle(rows)
    keep = Top("n", Rest.GATHERED, "2") if rng.random() < 0.5 else None
    rows = [msgspec.structs.replace(each, keep=keep) if each.id == "r1" else each for each in rows]
    columns = (
        (placed("Lines.Sold", id="c1", part="quarter"),)
        if rng.random() < 0.4
        else (placed("Lines.Paid", id="c1"),)
        if rng.random() < 0.5
        else ()
    )
    measures = (Measure("m", "sum", ref("Lines.Net")), Measure("n", "sum", ref("Lines.Qty")))
    fold = Fold("f", measures, tuple(rows), columns)
    compare = form.started(fold, "m", lambda word: members_of(engine, fold, word))
    fold = msgspec.structs.replace(fold, measures=(msgspec.structs.replace(measures[0], compare=compare), measures[1]))
    right = engine.fold(fold)
    cells = [
        (row, column) for row in range(right.height) for column in range(right.width) if right.cell(row, column)[0] == 0
    ]
    chosen = rng.sample(cells, min(14, len(cells)))
    for row, column in chosen:
        proof = proof_of(engine, fold, right, row, column)
        assert proof.agrees, (said, proof.where, proof.by_hand, proof.again, proof.shown)
    real = type(compare).of
    monkeypatch.setattr(type(compare), "of", lambda self, *rest: shifted(real(self, *rest)))
    faulty = engine.fold(fold)
    for row, column in chosen:
        proof = proof_of(engine, fold, faulty, row, column)
        assert proof.agrees == (faulty.value(row, column) is None), (said, proof.where, proof.by_hand)


def members_of(engine, fold, word):
    report = engine.fold(msgspec.structs.replace(fold, rows=(word,), columns=()))
    return [report.rows.key(line, 0) for line in range(len(report.rows)) if report.rows.key(line, 0)]
