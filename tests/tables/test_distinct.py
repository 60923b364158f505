"""The different values of an array."""

import numpy as np
import pytest

from foldbasket.tables.distinct import distinct


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
