"""The different values of an array."""

import numpy as np
import pytest

from foldbasket.tables.distinct import distinct, distinct_rows, numbered, numbered_rows


@pytest.mark.parametrize("kind", [np.int8, np.int32, np.int64, np.uint64])
@pytest.mark.parametrize("shape", [(0,), (1,), (500,), (30, 7)])
def test_they_are_those_that_numpy_finds(kind, shape):
    bounds = np.iinfo(kind)
    for low, high in (
        (0, 90),
        (max(bounds.min, -30), 60),
        (bounds.min, bounds.max),
        (bounds.min, bounds.min + 120),
        (bounds.min, bounds.max - 9),
        (bounds.max - 5, bounds.max),
    ):
        values = np.random.default_rng(3).integers(low, high, shape, dtype=kind, endpoint=True)
        found = distinct(values)
        assert found.dtype == kind
        assert found.tolist() == sorted(set(values.ravel().tolist()))


@pytest.mark.parametrize("kind", [np.int8, np.int32, np.int64])
@pytest.mark.parametrize("shape", [(0, 3), (1, 2), (400, 1), (300, 4), (5, 0)])
def test_rows_and_which_of_them_each_is_are_those_that_numpy_finds(kind, shape):
    bounds = np.iinfo(kind)
    for low, high in ((-1, 3), (0, 90), (bounds.min, bounds.max)):
        rows = np.random.default_rng(5).integers(low, high, shape, dtype=kind, endpoint=True)
        found, each = numbered_rows(rows)
        wanted, place = np.unique(rows, axis=0, return_inverse=True)
        assert found.dtype == kind
        assert found.tolist() == distinct_rows(rows).tolist() == wanted.tolist()
        assert each.tolist() == place.ravel().tolist()


def test_numbers_and_which_of_them_each_is():
    for values in ([], [7], [3, -2, 3, 900_000_000_000, -2], [5, 4, 4, 6]):
        found, each = numbered(np.array(values, np.int64))
        assert found.tolist() == sorted(set(values))
        assert found[each].tolist() == values
