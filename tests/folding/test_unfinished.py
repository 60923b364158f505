"""Comparing periods that are not whole: it is said which, and like for like keeps both to what both have."""

import datetime as dt
from decimal import Decimal

import msgspec
import pytest

from foldbasket.folding.compare.against import Against, AgainstMeasure, How, Other
from foldbasket.folding.engine import Engine
from foldbasket.folding.filters.condition import Condition
from foldbasket.folding.filters.members import Members
from foldbasket.folding.filters.values import Between
from foldbasket.links.source import Source
from foldbasket.spec.field import Shared
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
    assert report.unfinished.said == "2025 is incomplete: data ends 30 Sep 2025"
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
    assert report.unfinished.said == "Q3 2025 is incomplete: data ends 10 Aug 2025"
    like = amounts(folded(of, "quarter", filters=(report.unfinished.filter,)))
    assert (like["2024-Q3"], like["2025-Q3"]) == (Decimal(41), Decimal(41))
    assert (like["2024-Q2"], like["2024-Q4"], like["2025-Q2"]) == (Decimal(91), Decimal(92), Decimal(91))


def test_nothing_is_said_of_what_is_whole_or_not_compared_or_not_shown():
    whole = sales(dt.date(2025, 12, 31))
    assert folded(whole, "year").unfinished is None
    begun = sales(dt.date(2025, 9, 12))
    for as_of in ("2025-12-31", "2024-06-30", "today"):  # which says what today is, and not how far the data go
        assert folded(begun, "year", as_of=as_of).unfinished.said == "2025 is incomplete: data ends 12 Sep 2025"
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


def dated(days):
    return source(table("Sales", {"Day": days, "Net": [Decimal("1.00")] * len(days)}))


def test_a_first_period_that_begins_within_is_said_like_a_last_that_ends_within():
    of = dated([dt.date(2024, 10, 1) + dt.timedelta(at) for at in range(457)])  # to the end of 2025
    report = folded(of, "year", Other.PREVIOUS)
    assert report.unfinished.said == "2024 is incomplete: data begins 1 Oct 2024"
    like = folded(of, "year", Other.PREVIOUS, (report.unfinished.filter,))
    assert like.unfinished is None
    assert amounts(like) == {"2024": Decimal(92), "2025": Decimal(92)}
    both = dated([dt.date(2024, 10, 1) + dt.timedelta(at) for at in range(730)])  # to the end of September 2026
    said = folded(both, "year", Other.PREVIOUS).unfinished.said
    assert said == "2026 is incomplete: data ends 30 Sep 2026; 2024 is incomplete: data begins 1 Oct 2024"


def test_a_start_within_a_month_is_kept_by_day_of_the_year():
    of = dated([dt.date(2024, 10, 12) + dt.timedelta(at) for at in range(446)])
    report = folded(of, "year", Other.PREVIOUS)
    assert amounts(folded(of, "year", Other.PREVIOUS, (report.unfinished.filter,))) == {
        "2024": Decimal(81),
        "2025": Decimal(81),
    }


@pytest.mark.parametrize("step", [1, 3, 6, 12])
def test_data_dated_on_the_first_of_a_period_are_whole_by_their_own_grain(step):
    months = range(2014 * 12, 2016 * 12, step)
    of = dated([dt.date(each // 12, each % 12 + 1, 1) for each in months])
    for part in ("year", "half", "quarter", "month"):
        assert folded(of, part).unfinished is None, part
        assert folded(of, part).incomplete == (), part
    short = dated([dt.date(each // 12, each % 12 + 1, 1) for each in range(2014 * 12, 2016 * 12 - 4)])
    assert folded(short, "year").unfinished.said == "2015 is incomplete: data ends 31 Aug 2015"


@pytest.mark.parametrize(
    "rule",
    [
        Members("r", ref("Sales.Day"), "month of year", tuple(f"{each:02d}" for each in range(1, 10))),
        Members("r", ref("Sales.Day"), "quarter", ("2024-Q1", "2025-Q1")),
        Members("r", ref("Sales.Day"), "year", ("2025",), exclude=True),
        Between("r", ref("Sales.Day"), None, "2024-01-01", "2025-06-30"),
        Condition("r", "EXTRACT(MONTH FROM Day) <= 9"),
    ],
)
def test_what_the_report_keeps_to_already_is_not_said_again(rule):
    of = sales(dt.date(2025, 9, 30))
    assert folded(of, "year", Other.PREVIOUS).unfinished is not None
    assert folded(of, "year", Other.PREVIOUS, (rule,)).unfinished is None


def test_actual_and_plan_are_compared_over_the_months_that_both_have():
    """Every month is 10% over its plan, which goes on to the end of the year; the actual begins earlier."""
    actual = [(year, month) for year, month in [(2025, 11), (2025, 12), *((2026, each) for each in range(1, 7))]]
    lines = table(
        "Lines",
        {
            "Day": [dt.date(year, month, day) for year, month in actual for day in (1, 15, 28 if month == 2 else 30)],
            "Region": ["East", "West", "East"] * len(actual),
            "Net": [Decimal("110.00"), Decimal("220.00"), Decimal("110.00")] * len(actual),
        },
    )
    months = [dt.date(2026, month, 1) for month in range(1, 13)]
    plan = table(
        "Plan",
        {"Month": months * 2, "Region": ["East"] * 12 + ["West"] * 12, "Plan": [Decimal("200.00")] * 24},
    )
    shared = (Shared((ref("Lines.Day"), ref("Plan.Month"))), Shared((ref("Lines.Region"), ref("Plan.Region"))))
    of = Source({"Lines": lines, "Plan": plan}, (), shared)
    net, aim = Measure("n", "sum", ref("Lines.Net")), Measure("p", "sum", ref("Plan.Plan"))
    off = Measure("o", "sum", ref("Lines.Net"), compare=AgainstMeasure("p", How.CHANGE))
    fold = Fold("f", (net, aim, off), (placed("Lines.Region"),))
    report = Engine(of).fold(fold)
    assert report.unfinished is not None
    assert "30 Jun 2026" in report.unfinished.said
    like = Engine(of).fold(msgspec.structs.replace(fold, filters=(report.unfinished.filter,)))
    assert like.unfinished is None
    assert [like.value(line, 2) for line in range(like.height)] == pytest.approx([0.1, 0.1, 0.1])
