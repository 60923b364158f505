"""Members picked where there is nothing to pick by."""

import numpy as np
import pytest

from foldbasket.spec.order import Keep
from foldbasket.tables.column import NumberColumn, text_column
from foldbasket.tables.table import Table
from foldbasket.tables.types import FieldType
from tests.folding.build import fold, keep, measure, placed, source


@pytest.mark.parametrize("kind", [each.__struct_config__.tag for each in Keep.kinds])
@pytest.mark.parametrize("rest", ["gone", "gathered"])
@pytest.mark.parametrize(
    "values", [[None, None, None], [None, 5.0, None], [float("inf"), float("-inf"), 1e308], [1e308, 1e308, 1e308]]
)
def test_every_picking_can_do_with_values_that_are_blank_or_endless(kind, rest, values):
    valid = np.array([value is not None for value in values])
    number = NumberColumn("v", FieldType.REAL, np.array([value or 0.0 for value in values]), valid)
    of = source(Table.of("T", [text_column("a", ["x", "y", "z"]), text_column("b", ["p", "p", "q"]), number]))
    picked = keep("sum T.v", kind, "80" if kind == "share" else "1", rest=rest)
    report = fold(of, [measure("sum", "T.v")], [placed("T.b"), placed("T.a", keep=picked)])
    assert (report.height > 0) == (rest == "gathered" or bool(valid.any()))
