"""Odd data at the edges of what can be held: nothing but our own errors, and blanks where there is no answer."""

import datetime as dt
import warnings

import numpy as np
import pyarrow as pa
import pytest

from foldbasket.baskets.files import decode
from foldbasket.errors import BasketError, FoldError
from foldbasket.folding.engine import Engine
from foldbasket.folding.filters.values import Compare
from foldbasket.formulas.checking import checked, schema_of
from foldbasket.formulas.evaluation import calculated
from foldbasket.spec.fold import Fold, Measure
from foldbasket.tables.conversion import fitted
from tests.folding.build import fold, lines, measure, placed, ref, source, table


@pytest.mark.parametrize(
    "aggregate", ["count different", "median", "mode", "percentile", "variance", "list", "sum", "first"]
)
def test_a_filter_that_keeps_no_records_gives_an_empty_report_over_wide_values(aggregate):
    of = source(table("T", {"g": ["a", "b"], "x": [0, 9 * 10**18], "d": [dt.date(2026, 1, 1)] * 2}))
    report = fold(of, [measure(aggregate, "T.x")], [placed("T.g")], filters=(Compare("f", ref("T.g"), None, "=", "c"),))
    assert report.height == 0
    alone = fold(of, [measure(aggregate, "T.x")], filters=(Compare("f", ref("T.g"), None, "=", "c"),))
    assert lines(alone) in ([], [(None,)])


@pytest.mark.parametrize(
    ("formula", "wanted"),
    [
        ("d + INTERVAL '9000' YEAR", [None, None]),
        ("d - INTERVAL '3000' YEAR", [None, "6999-12-31"]),
        ("d + INTERVAL '1' DAY", ["2026-01-02", None]),
        ("m + INTERVAL '900000' YEAR", [None, None]),
        ("m - INTERVAL '1000000' MONTH", [None, None]),
        ("m + INTERVAL '1' HOUR", ["2026-01-01 01:00:00", None]),
        ("d + INTERVAL '9000' YEAR - INTERVAL '9000' YEAR", [None, None]),
    ],
)
def test_dates_past_the_calendar_are_blank(formula, wanted):
    of = source(table("T", {"d": [dt.date(2026, 1, 1), dt.date.max], "m": [dt.datetime(2026, 1, 1), dt.datetime.max]}))
    column = calculated(checked(formula, schema_of(of)), of, "T", "x", dt.date(2026, 1, 1))
    assert [column.text(at) for at in range(2)] == wanted


def test_dates_that_a_source_holds_past_the_calendar_are_blank_and_at_hand_as_text():
    days = pa.chunked_array([pa.array([0, 3_000_000, -800_000, None], pa.int32()).cast(pa.date32())])
    column, text = fitted("d", days)
    assert [column.text(at) for at in range(4)] == ["1970-01-01", None, None, None]
    assert [text.text(at) for at in range(4)] == ["1970-01-01", "10183-09-29", "-221-08-31", None] or text.text(
        1
    ).startswith("10183")
    moments = pa.chunked_array([pa.array([0, 2**62], pa.int64()).cast(pa.timestamp("us"))])
    column, text = fitted("m", moments)
    assert [column.text(at) for at in range(2)] == ["1970-01-01 00:00:00", None]
    assert text.text(1).startswith("148")


def test_an_as_of_date_that_is_none_is_refused_when_the_basket_is_opened_and_when_it_is_used():
    body = b'{"format":"fold-basket","version":1,"as_of":"30.09.2026"}'
    with pytest.raises(BasketError, match=r"the as-of date “30\.09\.2026” is not a date"):
        decode(body, "b")
    of = source(table("T", {"d": [dt.date(2026, 1, 1)]}))
    with pytest.raises(FoldError, match="not a date"):
        Engine(of, as_of="30.09.2026").fold(
            Fold("f", (Measure("m", "formula", heading="F", formula="MAX(CURRENT_DATE - d)"),))
        )


def test_a_product_beyond_every_number_is_blank_and_warns_nobody():
    of = source(table("T", {"g": ["a"] * 400 + ["b"], "x": [1e300] * 400 + [2.0]}))
    with warnings.catch_warnings():
        warnings.simplefilter("error")
        report = fold(of, [measure("product", "T.x")], [placed("T.g")], [placed("T.g", id="c")])
    assert report.value(0, 0) is None
    assert report.value(1, 1) == 2.0
    assert np.isfinite(report.blocks[0].data).all()
