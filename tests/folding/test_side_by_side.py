"""Measures of two tables of facts in one report, and coarser measures: nothing is counted twice, nothing is left out."""

import datetime
from decimal import Decimal

import msgspec
import pytest

from foldbasket.errors import FoldError, LinkError
from foldbasket.folding.compare.against import AgainstMeasure, How
from foldbasket.folding.engine import Engine
from foldbasket.folding.filters.either import Either
from foldbasket.folding.filters.members import Members
from foldbasket.folding.filters.values import Between, Compare
from foldbasket.links.link import Link
from foldbasket.links.source import Source
from foldbasket.spec.field import Shared
from foldbasket.spec.filter import Filter
from foldbasket.spec.fold import Fold
from tests.folding.build import lines, measure, placed, ref, table

D = Decimal


def day(text: str) -> datetime.date:
    return datetime.date.fromisoformat(text)


@pytest.fixture
def trade() -> Source:
    lines_ = table(
        "Lines",
        {
            "Order": ["a", "a", "b", "c", "d", "d"],
            "Variety": ["rose", "herb", "rose", "herb", "rose", "rose"],
            "Net": [D("10.00"), D("5.50"), D("7.25"), D("1.00"), D("2.00"), D("3.00")],
        },
    )
    orders = table(
        "Orders",
        {
            "Order": ["a", "b", "c", "d"],
            "Customer": ["k1", "k1", "k2", "k3"],
            "Day": [day("2026-01-05"), day("2026-02-05"), day("2026-04-05"), day("2026-05-05")],
            "Freight": [D("4.00"), D("3.00"), D("2.00"), None],
        },
    )
    customers = table("Customers", {"Customer": ["k1", "k2", "k3"], "Region": ["North", "South", "North"]})
    varieties = table("Varieties", {"Variety": ["rose", "herb"], "Line": ["Shrubs", "Herbs"]})
    plan = table(
        "Plan",
        {
            "Month": [day("2026-01-01"), day("2026-02-01"), day("2026-04-01"), day("2026-04-01")],
            "Area": ["North", "North", "West", "South"],
            "Planned": [D("12.0"), D("8.0"), D("6.5"), D("3.0")],
        },
    )
    links = (
        Link("Lines", "Orders", (("Order", "Order"),)),
        Link("Lines", "Varieties", (("Variety", "Variety"),)),
        Link("Orders", "Customers", (("Customer", "Customer"),)),
    )
    shared = (
        Shared((ref("Customers.Region"), ref("Plan.Area"))),
        Shared((ref("Orders.Day"), ref("Plan.Month"))),
    )
    return Source({t.name: t for t in (lines_, orders, customers, varieties, plan)}, links, shared)


NET, PLANNED, FREIGHT = measure("sum", "Lines.Net"), measure("sum", "Plan.Planned"), measure("sum", "Orders.Freight")


def test_plan_and_actual_stand_side_by_side_by_region_and_quarter(trade: Source) -> None:
    report = Engine(trade).fold(
        Fold("f", (NET, PLANNED), (placed("Customers.Region"), placed("Orders.Day", part="quarter")))
    )
    assert lines(report) == [
        ("North", "Q1 2026", D("22.75"), D("20.0")),
        ("North", "Q2 2026", D("5.00"), None),  # trade that nobody planned
        ("North, all quarters", D("27.75"), D("20.0")),
        ("South", "Q2 2026", D("1.00"), D("3.0")),
        ("South, all quarters", D("1.00"), D("3.0")),
        ("West", "Q2 2026", None, D("6.5")),  # a plan without trade
        ("West, all quarters", None, D("6.5")),
        ("Everything", D("28.75"), D("29.5")),
    ]
    assert [(each.base, each.kept, each.records) for each in report.counted] == [("Lines", 6, 6), ("Plan", 4, 4)]


def test_actual_is_compared_with_plan_in_every_cell_and_total(trade: Source) -> None:
    gap = msgspec.structs.replace(NET, id="gap", compare=AgainstMeasure(PLANNED.id, How.DIFFERENCE))
    change = msgspec.structs.replace(NET, id="change", compare=AgainstMeasure(PLANNED.id, How.CHANGE))
    report = Engine(trade).fold(Fold("f", (gap, change, PLANNED), (placed("Customers.Region"),)))
    assert [line[:2] for line in lines(report)] == [
        ("North", D("7.75")),
        ("South", D("-2.00")),
        ("West", None),
        ("Everything", D("-0.75")),
    ]
    assert report.value(3, 1) == pytest.approx(-0.75 / 29.5, rel=1e-12)


def test_a_filter_holds_on_both_tables(trade: Source) -> None:
    north = Members("f", ref("Customers.Region"), members=("North",))
    later = Compare("g", ref("Orders.Day"), None, "≥", "2026-02-01")
    report = Engine(trade).fold(Fold("f", (NET, PLANNED), filters=(north, later)))
    assert lines(report) == [(D("12.25"), D("8.0"))]


@pytest.mark.parametrize(
    "begun",
    [
        Members("f", ref("Varieties.Line"), exclude=True),
        Compare("f", ref("Lines.Net"), None, "≥"),
        Between("f", ref("Lines.Net")),
        Either("f", (Between("x", ref("Lines.Net")), Members("y", ref("Varieties.Line"), members=("Herbs",)))),
    ],
)
def test_a_filter_that_keeps_everything_needs_no_table_to_reach_its_field(trade: Source, begun: Filter) -> None:
    fold = Fold("f", (NET, PLANNED), (placed("Customers.Region"),))
    with_it = msgspec.structs.replace(fold, filters=(begun,))
    assert lines(Engine(trade).fold(with_it)) == lines(Engine(trade).fold(fold))
    assert Engine(trade).fold(with_it).sentence != Engine(trade).fold(fold).sentence


def test_either_table_may_name_the_shared_field(trade: Source) -> None:
    report = Engine(trade).fold(Fold("f", (PLANNED, NET), (placed("Plan.Area"),)))
    assert lines(report)[-1] == ("Everything", D("29.5"), D("28.75"))
    assert [line[0] for line in lines(report)] == ["North", "South", "West", "Everything"]


def test_a_field_that_one_table_cannot_reach_is_refused_with_the_reason(trade: Source) -> None:
    with pytest.raises(FoldError, match="“Plan” has no field that stands for “Line”"):
        Engine(trade).fold(Fold("f", (NET, PLANNED), (placed("Varieties.Line"),)))
    with pytest.raises(FoldError, match="“Plan” has no field that stands for “Line”"):
        Engine(trade).fold(
            Fold("f", (NET, PLANNED), filters=(Members("f", ref("Varieties.Line"), members=("Herbs",)),))
        )


def test_without_shared_fields_the_tables_must_be_linked(trade: Source) -> None:
    bare = Source(trade.tables, trade.links)
    with pytest.raises((LinkError, FoldError), match="no links lead from one table to"):
        Engine(bare).fold(Fold("f", (NET, PLANNED), (placed("Customers.Region"),)))


def test_shared_fields_must_be_of_one_type(trade: Source) -> None:
    wrong = Source(trade.tables, trade.links, (Shared((ref("Customers.Region"), ref("Plan.Month"))),))
    with pytest.raises(FoldError, match="what stands for “Region” is date in one table and text in another"):
        Engine(wrong).fold(Fold("f", (NET, PLANNED), (placed("Customers.Region"),)))


def test_freight_of_an_order_counts_once_per_customer_per_line_and_in_total(trade: Source) -> None:
    engine = Engine(trade)
    by_customer = engine.fold(Fold("f", (FREIGHT, NET), (placed("Orders.Customer"),)))
    assert lines(by_customer) == [
        ("k1", D("7.00"), D("22.75")),
        ("k2", D("2.00"), D("1.00")),
        ("k3", None, D("5.00")),
        ("Everything", D("9.00"), D("28.75")),
    ]
    by_line = engine.fold(Fold("f", (FREIGHT, NET), (placed("Varieties.Line"),)))
    assert lines(by_line) == [
        ("Herbs", D("6.00"), D("6.50")),  # order a counts here …
        ("Shrubs", D("7.00"), D("22.25")),  # … and here
        ("Everything", D("9.00"), D("28.75")),  # … and once in the total
    ]
    assert "totals can be less than the sum of their parts" in by_line.measures[0].remark


def test_coarser_measures_and_another_table_of_facts_stand_together(trade: Source) -> None:
    report = Engine(trade).fold(Fold("f", (FREIGHT, NET, PLANNED), (placed("Customers.Region"),)))
    assert lines(report)[-1] == ("Everything", D("9.00"), D("28.75"), D("29.5"))
