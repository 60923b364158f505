"""A report in a terminal: aligned, ruled, cut to its width, and unable to command the terminal."""

from decimal import Decimal

import pytest
from tests.folding.build import fold, measure, placed, source, table

from foldbasket.outputs.terminal import lines

SALES = source(
    table(
        "Sales",
        {
            "Site": ["East", "East", "Süd\x1b[31m 植物", "West"],
            "Year": ["2025", "2026", "2026", "2026"],
            "Net": [Decimal("1200.50"), Decimal("-3.00"), Decimal("0.25"), None],
        },
    )
)


@pytest.fixture
def report():
    return fold(SALES, [measure("sum", "Sales.Net")], [placed("Sales.Site")], [placed("Sales.Year")])


def test_numbers_stand_below_one_another_and_a_rule_over_the_total(report):
    assert lines(report) == [
        "Site              2025   2026  All years",
        "────────────────────────────────────────",
        "East          1,200.50  -3.00   1,197.50",
        "Süd[31m 植物             0.25       0.25",
        "West",
        "────────────────────────────────────────",
        "Everything    1,200.50  -2.75   1,197.75",
    ]


def test_it_is_no_wider_than_the_terminal_and_says_what_is_left_out(report):
    for width in (20, 26, 33):
        made = lines(report, width)
        assert made[-1].startswith("… ")
        assert all(len(line) <= width for line in made[:-1])
    assert lines(report, 60) == lines(report)


def test_colours_are_only_there_where_they_are_asked_for(report):
    assert not any("\x1b" in line for line in lines(report))
    coloured = lines(report, in_colour=True)
    assert any("\x1b[31m" in line and "-3.00" in line for line in coloured)
    assert not any("Süd\x1b" in line for line in coloured)
