"""Comparing periods that are not whole: it is said which, and like for like keeps both to what both have."""

import datetime as dt
from decimal import Decimal

import msgspec
import pytest

from foldbasket.folding.compare.against import Against, How, Other
from foldbasket.folding.engine import Engine
from foldbasket.spec.fold import Fold, Measure
from tests.folding.build import placed, ref, source, table


def sales(last):
    """One a day, of 1.00 each, from New Year 2024 on."""
    many = (last - dt.date(2024, 1, 1)).days + 1
    days = [dt.date(2024, 1, 1) + dt.timedelta(at) for at in range(many)]
    return source(table("Sales", {"Day": days, "Net": [Decimal("1.00")] * many}))


def folded(of, part, other=Other.YEAR_BEFORE, filters=(), as_of="latest"):
    change = Measure("c", "sum", ref("Sales.Net"), compare=Against("d", other, None, How.DIFFERENCE))
    fold = Fold(
        "f", (Measure("n", "sum", ref("Sales.Net")), change), (placed("Sales.Day", id="d", part=part),), filters=filters
    )
    return Engine(of, as_of=as_of).fold(fold)


def amounts(report):
    return {
        report.rows.key(line, 0): report.value(line, 0) for line in range(report.height) if not report.rows.kind[line]
    }


def test_a_year_that_is_not_over_is_said_and_its_months_are_offered():
    of = sales(dt.date(2025, 9, 30))
    report = folded(of, "year", Other.PREVIOUS)
    assert report.unfinished.said == "2025 ends on 30 Sep 2025"
    like = folded(of, "year", Other.PREVIOUS, (report.unfinished.filter,))
    assert like.unfinished is None
    assert amounts(like) == {"2024": Decimal("274.00"), "2025": Decimal("273.00")}  # 2024 had a 29 February


@pytest.mark.parametrize("last", [dt.date(2025, 9, 12), dt.date(2025, 2, 28), dt.date(2025, 1, 1)])
def test_by_day_of_the_year_where_a_month_is_not_over(last):
    of = sales(last)
    report = folded(of, "year")
    like = folded(of, "year", filters=(report.unfinished.filter,))
    own = (last - dt.date(2025, 1, 1)).days + 1
    leap = 1 if last >= dt.date(2025, 2, 28) else 0  # 29 February goes with 28 February
    assert amounts(like) == {"2024": Decimal(own + leap), "2025": Decimal(own)}


def test_of_quarters_only_the_one_that_is_not_over_is_cut_and_its_like_a_year_before():
    of = sales(dt.date(2025, 8, 10))
    report = folded(of, "quarter")
    assert report.unfinished.said == "Q3 2025 ends on 10 Aug 2025"
    like = amounts(folded(of, "quarter", filters=(report.unfinished.filter,)))
    assert (like["2024-Q3"], like["2025-Q3"]) == (Decimal(41), Decimal(41))
    assert (like["2024-Q2"], like["2024-Q4"], like["2025-Q2"]) == (Decimal(91), Decimal(92), Decimal(91))


def test_nothing_is_said_of_what_is_whole_or_not_compared_or_not_shown():
    whole = sales(dt.date(2025, 12, 31))
    assert folded(whole, "year").unfinished is None
    begun = sales(dt.date(2025, 9, 12))
    assert folded(begun, "year", as_of="2025-12-31").unfinished is None  # nothing came later
    assert (
        folded(begun, "month", Other.PREVIOUS).unfinished.filter is None
    )  # said, but no part of the year makes them alike
    plain = Fold("f", (Measure("n", "sum", ref("Sales.Net")),), (placed("Sales.Day", id="d", part="year"),))
    assert Engine(begun).fold(plain).unfinished is None


def test_a_sentence_says_the_filter_and_reads_it_back():
    from foldbasket.sentence.reading import read
    from foldbasket.sentence.vocabulary import Vocabulary
    from foldbasket.sentence.writing import written

    of = sales(dt.date(2025, 9, 12))
    rule = msgspec.structs.replace(folded(of, "year").unfinished.filter, id="f1")
    fold = Fold("", (Measure("m1", "sum", ref("Sales.Net")),), filters=(rule,))
    assert read(written(fold, Vocabulary(of)), Vocabulary(of)) == fold
