"""Summary formulas: right at cell, subtotal and grand total, over one table of facts or two, like any other measure."""

import datetime as dt
import random
from decimal import Decimal
from fractions import Fraction

import msgspec
import pytest

from foldbasket.errors import FoldBasketError, FormulaError
from foldbasket.folding.compare.shares import ShareOf
from foldbasket.folding.engine import Engine
from foldbasket.folding.filters.condition import Condition
from foldbasket.links.link import Link
from foldbasket.links.source import Source
from foldbasket.spec.field import Shared
from foldbasket.spec.fold import Fold, Measure
from foldbasket.spec.order import ByValue
from tests.folding.build import keep, lines, measure, placed, ref, source, table
from tests.rounds import seeds

D = Decimal
replace = msgspec.structs.replace


def formula(text, heading="F", **more):
    return Measure(more.pop("id", heading), "formula", heading=heading, formula=text, **more)


def fold(of, measures, rows=(), columns=(), **more):
    return Engine(of).fold(Fold("f", tuple(measures), tuple(rows), tuple(columns), **more))


LINES = table(
    "Lines",
    {
        "Region": ["E", "E", "W", "W", None],
        "Who": ["k1", "k2", "k1", "k1", "k3"],
        "Order": ["a", "a", "b", "b", "c"],
        "Net": [D("100.00"), D("50.00"), D("600.00"), D("0.00"), None],
        "Cost": [D("60.00"), D("45.00"), D("500.00"), D("10.00"), D("5.00")],
        "Day": [dt.date(2026, 1, 1), dt.date(2026, 1, 2), dt.date(2026, 3, 1), dt.date(2026, 3, 5), None],
        "Came": [dt.date(2026, 1, 5), dt.date(2026, 1, 3), None, dt.date(2026, 3, 15), None],
    },
)
ORDERS = table(
    "Orders", {"Order": ["a", "b", "c"], "Freight": [D("4.00"), D("6.00"), D("1.00")], "Fast": [True, False, True]}
)
PLAN = table("Plan", {"Area": ["E", "N"], "Planned": [D("120.0"), D("30.0")]})
ALL = Source(
    {"Lines": LINES, "Orders": ORDERS, "Plan": PLAN},
    (Link("Lines", "Orders", (("Order", "Order"),)),),
    (Shared((ref("Lines.Region"), ref("Plan.Area"))),),
)
BY_REGION = [placed("Lines.Region", id="region")]


def test_a_margin_is_the_ratio_of_sums_and_not_the_average_of_ratios():
    margin = formula("(SUM(Net) - SUM(Cost)) / SUM(Net)", "Margin")
    ratios = formula("AVG((Net - Cost) / Net)", "Average of ratios")
    report = fold(ALL, [margin, ratios], BY_REGION)
    got = lines(report)
    assert got[0] == ("E", pytest.approx(45 / 150), pytest.approx((0.4 + 0.1) / 2))
    assert got[1] == ("W", pytest.approx(90 / 600), pytest.approx(100 / 600))  # the free line has no ratio
    assert got[2] == ("(blank)", None, None)
    assert got[3] == ("Everything", pytest.approx((750 - 620) / 750), pytest.approx((0.4 + 0.1 + 1 / 6) / 3))
    assert got[3][1] != got[3][2]


def test_actual_less_plan_over_two_tables_of_facts():
    gap = formula("SUM(Net) - SUM(Planned)", "Gap")
    share = formula("(SUM(Lines.Net) - SUM(Plan.Planned)) / SUM(Plan.Planned)", "Off plan")
    filled = formula("COALESCE(SUM(Net), 0) - COALESCE(SUM(Planned), 0)", "Filled")
    report = fold(ALL, [gap, share, filled], BY_REGION)
    assert lines(report) == [
        ("E", D("30.00"), 0.25, D("30.00")),
        ("N", None, None, D("-30.00")),
        ("W", None, None, D("600.00")),
        ("(blank)", None, None, D("0.00")),
        ("Everything", D("600.00"), pytest.approx(600 / 150), D("600.00")),
    ]


def test_conditional_sums_and_counts_and_a_distinct_count_of_those_above_500():
    measures = [
        formula("SUM(Net) FILTER (WHERE Who = 'k1')", "k1"),
        formula("COUNT(*) FILTER (WHERE Net > 50)", "above"),
        formula("COUNT(DISTINCT Who) FILTER (WHERE Net >= 100)", "who"),
        formula("SUM(Net) FILTER (WHERE Who = 'k1') / SUM(Net)", "share"),
        formula("COUNT(*)", "records"),
    ]
    assert lines(fold(ALL, measures, BY_REGION)) == [
        ("E", D("100.00"), 1, 1, pytest.approx(2 / 3), 2),
        ("W", D("600.00"), 1, 1, 1.0, 2),
        ("(blank)", None, 0, 0, None, 1),
        ("Everything", D("700.00"), 2, 1, pytest.approx(700 / 750), 5),
    ]


def test_days_to_ship_averaged_and_other_aggregates_of_expressions():
    measures = [
        formula("AVG(Came - Day)", "days"),
        formula("MAX(Day) - MIN(Day)", "span"),
        formula("MEDIAN(Net - Cost)", "median"),
        formula("SUM(DISTINCT Net)", "distinct"),
        formula("AVG(DISTINCT Cost)", "average"),
        formula("PERCENTILE_CONT(0.5) WITHIN GROUP (ORDER BY Net)", "percentile"),
        formula("MIN(UPPER(Who))", "first"),
        formula("CASE WHEN SUM(Net) > 200 THEN 'large' ELSE 'small' END", "size"),
    ]
    got = lines(fold(ALL, measures, BY_REGION))
    assert got[0] == ("E", 2.5, 1, 22.5, D("150.00"), 52.5, 75.0, "K1", "small")
    assert got[-1][:4] == ("Everything", 5.0, 63, 22.5)
    assert got[1][-1] == "large"


def test_an_amount_held_once_per_order_counts_once_in_a_formula_too():
    each = formula("SUM(Freight) / COUNT(*)", "freight a line")
    total = formula("SUM(Freight)", "freight")
    assert lines(fold(ALL, [each, total], BY_REGION)) == [
        ("E", 2.0, D("4.00")),
        ("W", 3.0, D("6.00")),
        ("(blank)", 1.0, D("1.00")),
        ("Everything", 11 / 5, D("11.00")),
    ]
    fast = formula("SUM(Freight) FILTER (WHERE Fast)", "fast")
    assert lines(fold(ALL, [fast, measure("count", None)], BY_REGION))[-1] == ("Everything", D("5.00"), 5)
    with pytest.raises(FormulaError, match="the condition looks at Lines, of which each record of Orders has many"):
        fold(ALL, [formula("SUM(Freight) FILTER (WHERE Net > 0)")], BY_REGION)


def test_a_formula_names_other_measures_and_is_used_like_any_measure():
    net = measure("sum", "Lines.Net", heading="Net sales")
    profit = formula('"Net sales" - SUM(Cost)', "Profit")
    margin = formula('Profit / "Net sales"', "Margin", id="m")
    shared = formula("Profit", "Share", compare=ShareOf())
    rows = [replace(BY_REGION[0], by=ByValue("m"), descending=True, keep=keep("m", "where", "0"))]
    got = lines(fold(ALL, [margin, net, profit, shared], rows))
    assert [line[0] for line in got] == ["E", "W", "Everything"]
    assert got[0][1:] == (pytest.approx(0.3), D("150.00"), D("45.00"), pytest.approx(45 / 130))
    assert got[2][1:] == (pytest.approx(130 / 750), D("750.00"), D("130.00"), 1.0)


def test_a_measure_that_names_itself_through_two_others_is_refused_by_name():
    circle = [formula("B + 1", "A"), formula("C + 1", "B"), formula("A + 1", "C")]
    with pytest.raises(FormulaError, match="made of itself: “A” → “B” → “C” → “A”"):
        fold(ALL, [*circle, measure("sum", "Lines.Net")])


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("SUM(Nett)", "Did you mean Net?"),
        ("Net + 1", "not a summary"),
        ("SUM(Region)", "a sum expects a number here"),
        ("SUM(Net) / ", "something is missing"),
        ("SUM(Net - Planned)", "no links lead from one table to"),
    ],
)
def test_a_wrong_formula_is_one_clear_error(text, said):
    with pytest.raises(FoldBasketError, match=said):
        fold(ALL, [formula(text)], BY_REGION)


def test_division_by_zero_is_blank_and_empty_cells_stay_blank():
    of = source(table("T", {"g": ["a", "b"], "h": ["x", "y"], "v": [1, 2], "z": [0, 4]}))
    report = fold(
        of, [formula("SUM(v) / SUM(z)", "q"), formula("COALESCE(SUM(v), 0)", "c")], [placed("T.g")], [placed("T.h")]
    )
    assert lines(report)[:2] == [("a", None, 1, None, None, None, 1), ("b", None, None, 0.5, 2, 0.5, 2)]


def test_aggregates_of_a_formula_are_aggregated_once_and_shared():
    engine = Engine(ALL)
    net = measure("sum", "Lines.Net")
    engine.fold(Fold("f", (net,), tuple(BY_REGION)))
    before = engine.ran["aggregate"]
    engine.fold(Fold("f", (net, formula("SUM(Net) / SUM(Net) + SUM(Net)")), tuple(BY_REGION)))
    assert engine.ran["aggregate"] == before
    engine.fold(Fold("f", (formula("SUM(Net * 2)", "a"),), tuple(BY_REGION)))
    engine.fold(Fold("f", (formula("SUM(Net * 2)", "a"), formula("AVG(Net * 2)", "b")), tuple(BY_REGION)))
    assert engine.ran["formula"] == 2  # one column for each place in a text, made once


@pytest.mark.parametrize("seed", seeds(60))
def test_margin_and_conditional_share_agree_with_plain_python(seed):
    draw = random.Random(seed)
    count = draw.choice([1, 5, 60])
    data = {
        "G": [draw.choice(["x", "y", "z"]) for _ in range(count)],
        "H": [draw.choice(["p", "q", None]) for _ in range(count)],
        "Net": [None if draw.random() < 0.2 else D(draw.randrange(-900, 9000)).scaleb(-2) for _ in range(count)],
        "Cost": [D(draw.randrange(0, 5000)).scaleb(-2) for _ in range(count)],
    }
    data["Net"][0] = D("1.50")
    measures = [
        formula("(SUM(Net) - SUM(Cost)) / SUM(Net)", "margin"),
        formula("SUM(Net - Cost) FILTER (WHERE H = 'p' OR Net > 40)", "part"),
        formula("COUNT(DISTINCT H) * 2 + COUNT(Net)", "counts"),
    ]
    report = fold(source(table("T", data)), measures, [placed("T.G")], [placed("T.H")])
    for row in range(len(report.rows)):
        for column in range(len(report.columns)):
            g, h = report.rows.key(row, 0), report.columns.key(column, 0)
            records = [
                at
                for at in range(count)
                if (report.rows.kind[row] or data["G"][at] == g) and (report.columns.kind[column] or data["H"][at] == h)
            ]
            nets = [data["Net"][at] for at in records if data["Net"][at] is not None]
            total, cost = sum(nets), sum(data["Cost"][at] for at in records)
            wanted = None if not nets or not total else float(Fraction(total - cost) / Fraction(total))
            assert report.exact(0, row, column) == (None if wanted is None else pytest.approx(wanted, rel=1e-12))
            some = [
                data["Net"][at] - data["Cost"][at]
                for at in records
                if data["Net"][at] is not None and (data["H"][at] == "p" or data["Net"][at] > 40)
            ]
            assert report.exact(1, row, column) == (sum(some) if some else None)
            different = len({data["H"][at] for at in records} - {None}) * 2 + len(nets)
            assert report.exact(2, row, column) == (different if records else None)


def test_a_filter_may_be_a_formula_over_any_fields():
    def kept(text, measures=None, rows=()):
        return lines(fold(ALL, measures or [measure("sum", "Lines.Net")], rows, filters=(Condition("c", text),)))

    assert kept("Net > 50 AND Cost < 400") == [(D("100.00"),)]
    assert kept("Came - Day > 3 OR Freight = 6") == [(D("700.00"),)]
    assert kept("Net > Cost * 1.1", rows=BY_REGION) == [
        ("E", D("150.00")),
        ("W", D("600.00")),
        ("Everything", D("750.00")),
    ]
    assert kept("Fast", [measure("sum", "Orders.Freight"), measure("count", None), measure("sum", "Lines.Net")])[0] == (
        D("5.00"),
        3,
        D("150.00"),
    )
    report = fold(ALL, [measure("sum", "Lines.Net")], filters=(Condition("c", "Net > 50"),))
    assert report.sentence == "Net, summed keeping where Net > 50"
    for text, said in (
        ("Net + 1", "a filter needs a condition"),
        ("Nett > 1", "Did you mean Net?"),
        ("SUM(Net) > 1", "so it cannot be part of a field"),
    ):
        with pytest.raises(FormulaError, match=said):
            kept(text)
