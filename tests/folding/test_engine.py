"""The engine over whole reports: locales, mixed kinds of measure, coarser averages, and many cores."""

import datetime
import threading
import time
from decimal import Decimal

import numpy as np
import pytest

from foldbasket.errors import Cancelled
from foldbasket.folding.cubes.maker import LocalMaker
from foldbasket.folding.engine import Engine
from foldbasket.folding.filters.values import Compare
from foldbasket.links.link import Link
from foldbasket.spec.fold import Fold
from foldbasket.styling.numbers import NumberStyle
from foldbasket.tables.column import NumberColumn
from foldbasket.tables.progress import Progress
from foldbasket.tables.table import Table
from foldbasket.tables.types import FieldType
from tests.folding.build import fold, lines, measure, placed, ref, source, table

D = Decimal


@pytest.mark.parametrize(
    ("locale", "text", "month", "day"),
    [
        ("en", "1,234.50", "Mar 2026", "5 Mar 2026"),
        ("de", "1.234,50", "Mär 2026", "05.03.2026"),
        ("fr", "1\u202f234,50", "mars 2026", "5 mars 2026"),
    ],
)
def test_numbers_months_and_days_are_written_as_the_locale_does(locale, text, month, day):
    of = source(table("T", {"d": [datetime.date(2026, 3, 5)], "v": [D("1234.50")]}))
    spec = Fold(
        "f", (measure("sum", "T.v"), measure("largest", "T.d")), (placed("T.d", part="month"),), row_total="off"
    )
    report = Engine(of, locale=locale).fold(spec)
    assert (report.text(0, 0), report.rows.label(0, 0), report.text(0, 1)) == (text, month, day)


def test_the_currency_of_the_basket_stands_where_the_pattern_has_its_sign():
    of = source(table("T", {"v": [D("5.00")]}))
    report = Engine(of, currency="GBP").fold(Fold("f", (measure("sum", "T.v", number=NumberStyle("¤#,##0.00")),)))
    assert report.text(0, 0) == "£5.00"


def test_smallest_and_largest_of_dates_text_and_yes_or_no_hold_in_every_total():
    of = source(table("T", {
        "g": ["a", "a", "b"], "d": [datetime.date(2026, 1, 2), None, datetime.date(2025, 5, 5)], "t": ["pear", "Apple", "äpfel"], "y": [True, False, True],
        "m": [datetime.datetime(2026, 1, 1, 8), datetime.datetime(2026, 1, 1, 9), None],
    }))  # fmt: skip
    report = fold(
        of,
        [measure("smallest", "T.d"), measure("largest", "T.t"), measure("smallest", "T.y"), measure("largest", "T.m")],
        [placed("T.g")],
    )
    assert lines(report) == [
        ("a", datetime.date(2026, 1, 2), "pear", False, datetime.datetime(2026, 1, 1, 9)),
        ("b", datetime.date(2025, 5, 5), "äpfel", True, None),
        ("Everything", datetime.date(2025, 5, 5), "äpfel", False, datetime.datetime(2026, 1, 1, 9)),
    ]
    assert [report.text(2, column) for column in range(4)] == ["5 May 2025", "äpfel", "no", "1 Jan 2026 09:00"]


def test_coarser_averages_and_extremes_count_each_record_once_and_leave_blanks_out():
    orders = table("Orders", {"No": [1, 2, 3], "Freight": [D("4.00"), D("8.00"), None]})
    near = table("Lines", {"No": [1, 1, 1, 2, 3], "Line": ["a", "a", "b", "a", "b"], "Net": [1, 1, 1, 1, 1]})
    of = source(near, orders, links=[Link("Lines", "Orders", (("No", "No"),))])
    measures = [measure(name, "Orders.Freight") for name in ("average", "smallest", "largest", "count values")] + [
        measure("count")
    ]
    assert lines(fold(of, [*measures, measure("sum", "Lines.Net")], [placed("Lines.Line")])) == [
        ("a", 6.0, D("4.00"), D("8.00"), 2, 3, 3),
        ("b", 4.0, D("4.00"), D("4.00"), 1, 2, 2),
        ("Everything", 6.0, D("4.00"), D("8.00"), 2, 5, 5),
    ]


def test_many_records_on_all_cores_with_filter_and_blanks_equal_plain_python():
    rng = np.random.default_rng(11)
    count = 600_000
    group, value = rng.integers(0, 9, count), rng.integers(-(10**6), 10**6, count)
    valid = rng.random(count) > 0.05
    of = source(
        Table.of(
            "T",
            [
                NumberColumn("g", FieldType.WHOLE, group),
                NumberColumn("v", FieldType.DECIMAL, np.where(valid, value, 0), valid, 2),
            ],
        )
    )
    report = fold(
        of,
        [measure("sum", "T.v"), measure("count"), measure("smallest", "T.v")],
        [placed("T.g")],
        filters=(Compare("f", ref("T.v"), None, ">", "-5000.005"),),
    )
    kept = valid & (value > -500_000.5)
    for line in range(9):
        mine = value[kept & (group == line)].tolist()
        assert [report.value(line, column) for column in range(3)] == [
            D(sum(mine)) / 100,
            len(mine),
            D(min(mine)) / 100,
        ]
    assert report.value(9, 0) == D(int(value[kept].sum())) / 100
    assert (report.kept, report.records) == (int(kept.sum()), count)


def test_a_fold_without_rows_columns_or_records_is_still_a_report():
    of = source(table("T", {"v": [1, 2]}))
    assert lines(fold(of, [measure("sum", "T.v")])) == [(3,)]
    nothing = fold(of, [measure("sum", "T.v")], [placed("T.v")], filters=(Compare("f", ref("T.v"), None, ">", "9"),))
    assert (nothing.height, nothing.kept) == (0, 0)
    assert fold(source(table("T", {"v": []})), [measure("count")], [placed("T.v")]).height == 0


def test_a_fold_that_waits_behind_another_is_cancelled_at_once(monkeypatch):
    engine = Engine(source(table("T", {"A": ["x", "y"], "N": [1, 2]})))
    fold = Fold("F", (measure("sum", "T.N"),), (placed("T.A"),))
    inside, go_on = threading.Event(), threading.Event()
    plain = LocalMaker.cube

    def slow(self, *given):
        inside.set()
        go_on.wait(20)
        return plain(self, *given)

    monkeypatch.setattr(LocalMaker, "cube", slow)
    first = threading.Thread(target=engine.fold, args=(fold,))
    first.start()
    inside.wait(20)
    progress, waited = Progress(), []

    def second():
        try:
            engine.fold(fold, progress)
        except Cancelled:
            waited.append(True)

    other = threading.Thread(target=second)
    other.start()
    time.sleep(0.05)
    progress.cancel()
    other.join(20)
    assert waited == [True], "while the first is still at work"
    assert first.is_alive()
    go_on.set()
    first.join(20)
