"""A plan is data: it survives being written and read, and whoever makes its cube anew gets the same one."""

import random
from collections import Counter

import msgspec
import numpy as np
import pytest

from foldbasket import kinds
from foldbasket.folding.cubes.maker import LocalMaker
from foldbasket.folding.engine import Engine
from foldbasket.folding.plan.plan import Plan
from foldbasket.spec.fold import Fold, Measure
from foldbasket.tables.progress import Progress
from tests.rounds import seeds

from .build import source
from .test_aggregates import made, random_tables
from .test_whole_oracle import FOLDS, random_fold, ref


class Listening(LocalMaker):
    """A maker that remembers what was asked of it."""

    def __init__(self, *about):
        super().__init__(*about)
        self.asked = []

    def cube(self, plan, progress):
        self.asked.append(plan)
        return super().cube(plan, progress)


def read_back(plan):
    return kinds.read(msgspec.json.decode(msgspec.json.encode(plan)), Plan)


def is_same(one, two):
    if isinstance(one, tuple):
        return len(one) == len(two) and all(map(is_same, one, two))
    return bool(np.array_equal(one, two))


def same_cube(one, two, plan):
    assert one.fields == two.fields
    assert is_same(one.coords, two.coords)
    assert is_same(one.records, two.records)
    for wanted in plan.states:
        for state in wanted.states:
            key = (wanted.quantity, state)
            if key in two.states:
                assert is_same(one.states[key], two.states[key]), key
    for quantity in plan.runs:
        for part in ("values", "starts", "counts"):
            assert is_same(getattr(one.runs[quantity], part), getattr(two.runs[quantity], part))
    for table in plan.pairs:
        assert is_same(one.pairs[table], two.pairs[table])


@pytest.mark.parametrize("seed", seeds(32))
def test_the_plan_of_a_random_fold_gives_the_same_cube_after_writing_and_reading(seed):
    draw = random.Random(seed * 17 + 3)
    records, _, _ = random_tables(seed, lines=30)
    tables = source(made("Lines", records))
    engine = Engine(tables)
    engine.maker = Listening(tables, "en", engine.ran)
    for _ in range(FOLDS):
        engine.fold(random_fold(draw))
    assert len(engine.maker.asked) == FOLDS
    for plan in tuple(engine.maker.asked):
        again = read_back(plan)
        assert again == plan
        fresh = LocalMaker(tables, "en", Counter()).cube(again, Progress())
        same_cube(engine.maker.cube(plan, Progress()), fresh, plan)


def test_after_the_cube_is_made_nothing_visits_a_record():
    records, _, _ = random_tables(3, lines=30)
    engine = Engine(source(made("Lines", records)))
    fold = Fold("F", (Measure("m", "median", ref("Pieces")), Measure("c", "count different", ref("Region"))))
    engine.fold(fold)
    visits = ("codes", "selection", "cube", "aggregate")
    before = [engine.ran[each] for each in visits]
    engine.fold(msgspec.structs.replace(fold, row_total="off"))
    assert [engine.ran[each] for each in visits] == before
