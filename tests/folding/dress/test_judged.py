"""How cells compare with a number and with one another, against Python's own exact numbers, whatever they are held as."""

import random
from decimal import Decimal, localcontext

import numpy as np
import pytest

from foldbasket.folding.dress.judged import compared, signs
from foldbasket.folding.states.aggregates.aggregate import Block
from foldbasket.tables.types import FieldType
from tests.rounds import seeds

FORMS = ("whole", "decimal", "real", "beyond 64 bits", "beyond 64 bits, some not exact")


def block(draw, form, shape=(9, 7)):
    """Cells that lie close together, so that many are equal or differ by a unit."""
    scale = 0 if form in ("whole", "real") else draw.choice([0, 2, 6])
    kind = FieldType.REAL if form == "real" else FieldType.DECIMAL if scale else FieldType.WHOLE

    def value():
        near = draw.randrange(-3, 4) * 10 ** draw.choice([0, scale])
        if form == "real":
            return near / draw.choice([1, 4, 10])
        if form.startswith("beyond"):
            near += draw.choice([0, 10**24, -(10**24)])
            return near + draw.choice([0.25, 0.5]) if "exact" in form and draw.random() < 0.3 else near
        return near

    data = np.empty(shape, object if form.startswith("beyond") else np.float64 if form == "real" else np.int64)
    for at in np.ndindex(shape):
        data[at] = value()
    return Block(kind, data, np.zeros(shape, np.bool_), scale)


def exact(cells, at):
    raw = cells.data[at]
    number = Decimal(raw) if isinstance(raw, float) else Decimal(int(raw))
    return number if cells.type is FieldType.REAL else number.scaleb(-cells.scale)


@pytest.mark.parametrize("form", FORMS)
@pytest.mark.parametrize("seed", seeds(8))
def test_cells_compare_with_a_number_as_it_was_typed(form, seed):
    draw = random.Random(seed)
    cells = block(draw, form)
    typed = [
        Decimal(each)
        for each in ("0", "1", "-0.5", "0.1", "2.25", "0.0000001", "1000000000000000000000000", "-1e30", "1e30")
    ]
    for value in typed:
        found = signs(cells, value)
        for at in np.ndindex(cells.data.shape):
            one = exact(cells, at)
            assert found[at] == (one > value) - (one < value), (one, value)


@pytest.mark.parametrize("form", FORMS)
@pytest.mark.parametrize("other", FORMS[:4])
@pytest.mark.parametrize("seed", seeds(4))
def test_measures_compare_with_one_another(form, other, seed):
    draw = random.Random(seed)
    one, two = block(draw, form), block(draw, other)
    found = compared(one, two)
    with localcontext(prec=80):
        for at in np.ndindex(one.data.shape):
            left, right = exact(one, at), exact(two, at)
            assert found[at] == (left > right) - (left < right), (left, right)
