"""Values that go to the disk give what those held give: medians, modes, lists and spreads, whatever the parts they came in."""

import os
import random

import msgspec
import numpy as np
import pyarrow as pa
import pytest

from foldbasket.errors import Cancelled, FoldError
from foldbasket.folding.cubes.merging import stand_in, stands_for_both
from foldbasket.folding.states import runs as of_runs
from foldbasket.folding.states import spilled
from foldbasket.folding.states.runs import held, runs_of
from foldbasket.folding.states.spilled import Gathering, Spilled
from foldbasket.spec.fold import Fold
from foldbasket.tables.column import CodedColumn, Dictionary, NumberColumn
from foldbasket.tables.progress import Progress
from foldbasket.tables.reading import parquetstream
from foldbasket.tables.types import FieldType
from tests.folding.build import measure, placed
from tests.folding.statement.test_random_statements import LINKS, random_tables
from tests.folding.test_streamed import assert_same, engines
from tests.rounds import seeds

OF_NUMBERS = ["median", "mode", "count different", "standard deviation", "variance of all", "list", "sum different"]
OF_TEXTS = ["mode", "count different", "list"]


@pytest.fixture
def small(monkeypatch):
    """A bound that a few dozen values pass."""
    monkeypatch.setattr(spilled, "ENTRIES", 10)
    monkeypatch.setattr(spilled, "STEP", 4)


@pytest.mark.parametrize("seed", seeds(8))
def test_folds_whose_values_went_to_the_disk_are_those_held(seed, tmp_path, monkeypatch, small):
    monkeypatch.setattr(parquetstream, "LEAST", 5)
    rng = random.Random(seed * 11 + 2)
    held_, apart = engines(random_tables(rng), LINKS, tmp_path, rng)
    went = []
    real = Spilled.grouped
    monkeypatch.setattr(Spilled, "grouped", lambda self, *rest: went.append(1) or real(self, *rest))
    for _ in range(8):
        measures = [
            *(measure(how, f"Lines.{rng.choice(['Net', 'Qty', 'Rate'])}") for how in rng.sample(OF_NUMBERS, 3)),
            *(measure(how, f"Lines.{rng.choice(['Site', 'Sold'])}") for how in rng.sample(OF_TEXTS, 1)),
        ]
        words = [
            placed(name) for name in rng.sample(["Lines.Site", "Customers.Region", "Lines.Paid"], rng.randrange(3))
        ]
        cut = rng.randrange(len(words) + 1)
        asked = tuple(msgspec.structs.replace(each, id=f"m{at}") for at, each in enumerate(measures))
        fold = Fold("f", asked, tuple(words[:cut]), tuple(words[cut:]))
        assert_same(apart.fold(fold), held_.fold(fold), fold)
    assert went, "some of them had too many values"


def parts(rng, kind):
    """Parts of a column, each with cells of its own numbering and, of texts, a dictionary of its own; of numbers some whole and the later ones real."""
    for at in range(rng.randrange(2, 7)):
        many = rng.randrange(60)
        cells = np.array([rng.randrange(5) for _ in range(many)], np.int64)
        if kind == "texts":
            names = rng.sample([f"v{number:03}" for number in range(40)], 25)
            column = CodedColumn("f", np.zeros(0, np.uint8), Dictionary(FieldType.TEXT, pa.array(names)))
            values = column.dictionary.binary_ranks[np.array([rng.randrange(25) for _ in range(many)], np.int64)]
            yield cells, values, column, np.array(names)[np.argsort(column.dictionary.binary_ranks)][values]
        else:
            is_real = kind == "reals" and at > 1
            values = np.array([rng.randrange(-99, 99) for _ in range(many)], np.int64)
            values = values / 4.0 if is_real else values
            column = NumberColumn(
                "f", FieldType.REAL if is_real else FieldType.DECIMAL, values[:0], None, 0 if is_real else 1
            )
            yield cells, values, column, values if is_real or kind == "numbers" else values / 10.0


@pytest.mark.parametrize("kind", ["numbers", "reals", "texts"])
@pytest.mark.parametrize("seed", seeds(15))
def test_parts_of_other_cells_members_and_types_come_together(seed, kind, small, tmp_path):

    rng = random.Random(seed)
    on_disk, in_memory = Gathering(tmp_path), Gathering(None, spills=False)
    stand, cells, every = None, 0, []
    for own_cells, values, column, plain in parts(rng, kind):
        stand = stand_in(column) if stand is None else stands_for_both(stand, stand_in(column))
        place = np.array([rng.randrange(cells + 5) for _ in range(5)], np.int64)
        now = max(cells, int(place.max()) + 1)
        moved = np.array(rng.sample(range(now), cells), np.int64)  # those before are renumbered, too
        every = [(int(moved[cell]), value) for cell, value in every]
        every += list(zip(place[own_cells].tolist(), plain.tolist(), strict=True))
        for gathering in (on_disk, in_memory):
            gathering.add(runs_of(own_cells, values), column, stand, (moved, place), now, Progress())
        cells = now
    wanted = in_memory.done(Progress())
    names = sorted({value for _, value in every})
    numbers = np.array([names.index(value) for _, value in every], np.int64)
    assert held(wanted, cells).totals.tolist() == np.bincount([cell for cell, _ in every], minlength=cells).tolist()
    assert of_runs.different(held(wanted, cells)).tolist() == of_runs.different(held(runs_of(np.array([cell for cell, _ in every], np.int64), numbers), cells)).tolist()  # fmt: skip
    got = on_disk.done(Progress())
    if not isinstance(got, Spilled):
        return
    target = np.array([rng.randrange(-1, 3) for _ in range(cells)], np.int64)
    whole, apart = held(of_runs.regrouped(wanted, target), 3), got.grouped(target, 3, Progress())
    assert apart.totals.tolist() == whole.totals.tolist()
    known = whole.totals > 0
    for name, rest in (("different", ()), ("mode", ()), ("percentile", (0.3,)), ("squares", (0,))):
        one, two = (getattr(of_runs, name)(each, *rest)[known] for each in (whole, apart))
        assert two == pytest.approx(one, rel=1e-9), name


def test_a_disk_without_room_is_told_and_work_is_given_up_when_it_is_cancelled(small, tmp_path, monkeypatch):
    column = NumberColumn("Net", FieldType.WHOLE, np.zeros(0, np.int64), None, 0)
    runs = runs_of(np.zeros(90, np.int64), np.arange(90))
    places = np.zeros(0, np.int64), np.zeros(1, np.int64)

    def full(*_):
        raise OSError(28, "No space left on device")

    with monkeypatch.context() as patch:
        patch.setattr(os, "pwrite", full)
        with pytest.raises(FoldError, match="the values of “Net” are too many for the memory"):
            Gathering(tmp_path).add(runs, column, column, places, 1, Progress())
    gathering = Gathering(tmp_path)
    gathering.add(runs, column, column, places, 1, Progress())
    done = gathering.done(Progress())
    assert not list(tmp_path.iterdir()), "its file has no name"
    stopped = Progress()
    values = done.grouped(np.zeros(1, np.int64), 1, stopped)
    stopped.cancel()
    with pytest.raises(Cancelled):
        of_runs.different(values)
