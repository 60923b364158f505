"""Reports to start from: chosen from what the data are, and what they find is true of their cells."""

import datetime as dt
from decimal import Decimal

import pytest

from foldbasket.folding.engine import Engine
from foldbasket.links.link import Link
from foldbasket.opening.prepared import basket_or_data, prepare
from foldbasket.spec.field import FieldRef, Shared
from foldbasket.starters.ground import Ground
from foldbasket.starters.proposing import proposals
from foldbasket.starters.years import whole_months
from foldbasket.styling.words import share_text
from tests.folding.build import source, table


def proposed(of):
    return {each.fold.name: each for each in proposals(Ground(of), Engine(of).fold)}


def sales(many=240):
    day = dt.date(2024, 3, 1)
    return table(
        "Sales",
        {
            "Day": [day + dt.timedelta(at * 4) for at in range(many)],
            "Region": ["North" if at % 4 else "South" for at in range(many)],
            "Customer": [f"c{at % 60}" for at in range(many)],
            "Net": [Decimal(100 + at % 60) for at in range(many)],
        },
    )


def test_the_demo_is_offered_trend_parts_plan_largest_and_years(demo):
    ready = prepare(basket_or_data(demo), lazily=True)
    found = list(proposals(Ground(ready.source), ready.engine.fold))
    assert [each.fold.name for each in found] == [
        "Over time",
        "Net by Line",
        "Actual vs plan",
        "Top 10: Customer",
        "2026 vs 2025",
    ]
    assert all(each.finding for each in found)
    assert "over January to September of both years" in found[-1].finding


def test_what_they_find_is_true():
    found = proposed(source(sales()))
    # 240 records: one in four is South's; of 60 customers every one has four records of 100 to 159.
    assert found["Net by Region"].finding == "One of two regions makes up 75%"
    total, ten = sum(100 + at for at in range(60)), sum(100 + at for at in range(50, 60))
    first = 159 / total
    assert found["Top 10: Customer"].finding == f"The top ten make up {ten / total:.0%}. Largest: c59, {first:.1%}"


def odd_sales():
    """Two regions over two whole years and a third in the second alone; some records have no region."""
    days = [dt.date(2024, 1, 1) + dt.timedelta(at) for at in range(731)]
    regions = [
        None if at % 10 == 0 else "North" if at % 2 else "East" if at > 400 and at % 8 == 4 else "South"
        for at in range(731)
    ]
    nets = [Decimal(100 + at // 10 if region == "North" else 50) for at, region in enumerate(regions)]
    return table("Sales", {"Day": days, "Region": regions, "Net": nets})


def test_blank_is_no_region_and_one_that_is_new_has_not_grown():
    found = proposed(source(odd_sales()))
    years = found["2025 vs 2024"].finding
    assert years.startswith(
        (
            "One of three regions grew, one is new; overall +",
            "Two of three regions grew, one is new; overall +",
        )
    )
    parts = found["Net by Region"]
    whole = sum(odd_sales().columns["Net"].values.tolist()) / 100
    north = (
        sum(
            value
            for value, text in zip(odd_sales().columns["Net"].values.tolist(), regions_of(odd_sales()), strict=True)
            if text == "North"
        )
        / 100
    )
    assert parts.finding == f"One of three regions makes up {north / whole * 100:.0f}%"


def regions_of(sold):
    return [sold.columns["Region"].text(at) for at in range(sold.count)]


def test_a_region_without_a_plan_neither_reaches_nor_misses_it():
    plan = table("Budget", {"Region": ["North", "South"], "Amount planned": [Decimal(1), Decimal(1)]})
    of = source(odd_sales(), plan)
    of = type(of)(of.tables, (), (Shared((FieldRef("Sales", "Region"), FieldRef("Budget", "Region"))),))
    assert proposed(of)["Actual vs plan"].finding == "Two of three regions met plan; one cannot be compared"


@pytest.mark.parametrize(
    ("share", "text"),
    [(0, "0%"), (1, "100%"), (0.5, "50%"), (0.997, "99.7%"), (0.99999, "99.999%"), (0.0004, "0.04%"), (-0.0004, "−0.04%"), (1.004, "100.4%"), (1e-30, "0.000000000000000%"), (0.72, "72%")],
)  # fmt: skip
def test_what_is_not_all_is_not_100_percent_and_what_is_not_nothing_is_not_0(share, text):
    assert share_text(share) == text


def test_a_plan_is_put_beside_what_came():
    plan = table("Budget", {"Region": ["North", "South"], "Amount planned": [Decimal(30_000), Decimal(1_000)]})
    of = source(sales(), plan)
    of = type(of)(of.tables, (), (Shared((FieldRef("Sales", "Region"), FieldRef("Budget", "Region"))),))
    # North has 180 records and is short of 30,000; South is past its thousand.
    made = found = proposed(of)["Actual vs plan"]
    cells = {
        made.report.rows.label(int(made.report.left.line[line]), 0): made.report.value(line, 2) for line in range(2)
    }
    assert cells["South"] > 0 > cells["North"]
    assert found.finding == f"One of two regions is below plan, North by {-cells['North'] * 100:.1f}%"


@pytest.mark.parametrize(
    ("first", "last", "shared"),
    [
        ((2024, 10, 1), (2026, 9, 30), (2026, 1, 9)),
        ((2024, 10, 1), (2026, 9, 29), (2026, 1, 8)),  # September is not over
        ((2025, 4, 2), (2026, 12, 31), (2026, 5, 12)),  # April has begun before its records do
        ((2026, 1, 1), (2026, 12, 31), None),
        ((2025, 12, 1), (2026, 6, 30), None),
        ((2020, 1, 1), (2026, 1, 15), None),
    ],
)
def test_years_are_compared_over_months_that_both_have(first, last, shared):
    assert whole_months(dt.date(*first), dt.date(*last)) == shared


def test_where_nothing_is_measured_records_are_counted_and_where_nothing_is_there_nothing_is_offered():
    words = source(table("Words", {"Kind": ["a", "b", "a", "c"], "Word": ["x", "y", "z", "x"]}))
    assert [each.fold.measures[0].aggregate for each in proposed(words).values()] == ["count"]
    assert proposed(source(table("Empty", {"Word": [None, None]}))) == {}
    assert proposed(source()) == {}


def test_fields_that_only_link_tables_tell_nothing():
    of = source(
        table("Sales", {"Key": ["a", "b", "a"], "Net": [Decimal(1), Decimal(2), Decimal(3)]}),
        table("Shops", {"Key": ["a", "b"], "City": ["East", "West"]}),
        links=[Link("Sales", "Shops", (("Key", "Key"),))],
    )
    assert list(proposed(of)) == ["Net by City"]


def test_the_ten_largest_are_of_names_rather_than_codes_and_never_of_what_tells_each_record_apart():
    many = 240
    columns = {
        "Bestellnr": [f"B{at}" for at in range(many)],
        "Buyer": [f"K{at % 60:03}" for at in range(many)],
        "Firm": [f"{chr(65 + at % 20)}{'abc'[at % 3]} and sons" for at in range(many)],
        "Einzelpreis": [Decimal("2.50")] * many,
        "Menge": [at % 7 for at in range(many)],
        "Umsatz": [Decimal(100 + at % 60) for at in range(many)],
    }
    found = proposed(source(table("Verkauf", columns)))
    assert list(found) == ["Top 10: Firm"]
    assert found["Top 10: Firm"].fold.measures[0].field == FieldRef("Verkauf", "Umsatz")
    del columns["Firm"]
    assert list(proposed(source(table("Verkauf", columns)))) == ["Top 10: Buyer"]


def test_years_that_are_alike_have_changed_by_nothing():
    days = [dt.date(year, month, 15) for year in (2024, 2025) for month in range(1, 13)]
    sold = {"Day": days, "Site": ["Fen", "Moor"] * 12, "Net": [Decimal("1000.00")] * 23 + [Decimal("999.99")]}
    finding = proposed(source(table("Sales", sold)))["2025 vs 2024"].finding
    assert "overall 0.0%" in finding
