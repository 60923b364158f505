"""What selected cells come to, and finding a text in a report."""

from decimal import Decimal

import pytest

from foldbasket.errors import Cancelled
from foldbasket.folding.report.search import HEAD, Spot, find
from foldbasket.folding.report.selected import selected
from tests.folding.build import fold, measure, placed, source, table


@pytest.fixture
def report():
    of = source(
        table(
            "T",
            {
                "region": ["East", "East", "West", "West", "West"],
                "site": ["Alder", "Birch", "Cedar", "Cedar", "Yew"],
                "year": [2025, 2026, 2025, 2026, 2026],
                "net": [Decimal("1000.10"), Decimal("20.20"), Decimal("300.30"), Decimal("-4.40"), Decimal("50.50")],
                "pieces": [1, 2, 3, 4, 5],
            },
        )
    )
    return fold(
        of,
        [measure("sum", "T.net"), measure("sum", "T.pieces")],
        [placed("T.region"), placed("T.site")],
        [placed("T.year")],
    )


def test_cells_are_added_up_once_though_totals_are_among_them(report):
    rows, columns = range(report.height), range(report.width)
    found = selected(report, rows, columns, (0, 0))
    assert (found.sum, found.values, found.blanks) == ("1,366.70", 5, 3)
    assert found.without_totals
    assert found.others
    assert (found.average, found.smallest, found.largest) == ("273.34", "-4.40", "1,000.10")


def test_of_several_measures_it_is_that_of_the_marked_cell(report):
    found = selected(report, range(report.height), range(report.width), (0, 1))
    assert (found.measure, found.sum, found.average) == ("pieces", "15", "3.00")


def test_totals_alone_are_counted(report):
    last = report.height - 1
    found = selected(report, [last], [0, 2], (last, 0))
    assert (found.sum, found.values, found.without_totals) == ("1,366.70", 2, False)


def test_sums_beyond_64_bits_are_exact():
    many = source(table("T", {"a": ["x", "y", "z"], "v": [2**62, 2**62, 2**62]}))
    report = fold(many, [measure("sum", "T.v")], [placed("T.a")])
    assert selected(report, range(3), range(1), (0, 0)).sum == f"{3 * 2**62:,}"


def test_texts_are_counted_and_not_added_up():
    of = source(table("T", {"a": ["x", "y"], "b": ["p", None]}))
    report = fold(of, [measure("list", "T.b")], [placed("T.a")], row_total="off")
    found = selected(report, range(2), range(1), (0, 0))
    assert (found.values, found.blanks, found.sum) == (1, 1, "")


def test_names_and_cells_are_found_in_reading_order(report):
    assert find(report, "east") == [Spot(0, HEAD), Spot(2, HEAD)], "the member, and the total over it"
    assert find(report, "CEDAR") == [Spot(3, HEAD)]
    assert find(report, "2026") == [Spot(HEAD, 2)]
    assert find(report, "pieces") == [Spot(HEAD, 1), Spot(HEAD, 3), Spot(HEAD, 5)]
    assert find(report, "everything") == [Spot(HEAD, 4), Spot(report.height - 1, HEAD)], "a total of two measures once"
    assert find(report, "nowhere") == find(report, "  ") == []


def test_a_number_is_found_with_and_without_its_grouping(report):
    with_sign = find(report, "1,000.10")
    assert with_sign
    assert with_sign == find(report, "1000.1")
    assert Spot(0, 0) in with_sign
    assert find(report, "-4.40") == find(report, "−4.4") != []


def test_finding_can_be_stopped(report):
    def stop(_):
        raise Cancelled

    with pytest.raises(Cancelled):
        find(report, "x", stop)
