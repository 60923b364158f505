"""Filters on text and by relative dates, against plain Python."""

import datetime as dt
import random
from functools import cache

import pytest

from foldbasket.errors import FoldError
from foldbasket.folding.engine import Engine
from foldbasket.folding.filters.members import Members
from foldbasket.folding.filters.relative import Relative, Unit, Window
from foldbasket.folding.filters.text import TextRule, Way
from foldbasket.spec.fold import Fold, Measure

from .build import ref, source, table

WORDS = ["Fern", "fern", "Moss Fern", "Fernery", None, "a.b", "axb", ""]


def kept(joined, *rules, as_of="latest"):
    report = Engine(joined, as_of=as_of).fold(Fold("F", (Measure("n", "count"),), filters=rules))
    return report.kept


@pytest.mark.parametrize(
    ("how", "text", "wanted"),
    [
        ("contains", "Fern", ["Fern", "Moss Fern", "Fernery"]),
        ("contains", ".", ["a.b"]),
        ("starts", "Fern", ["Fern", "Fernery"]),
        ("ends", "Fern", ["Fern", "Moss Fern"]),
        ("matches", "^[Ff]ern$", ["Fern", "fern"]),
        ("matches", "a.b", ["a.b", "axb"]),
    ],
)
def test_text_is_compared_exactly_and_blanks_never_hold(how, text, wanted):
    joined = source(table("T", {"W": WORDS}))
    known = [word for word in WORDS if word]
    assert kept(joined, TextRule("f", ref("T.W"), None, Way(how), text)) == len(wanted)
    assert kept(joined, TextRule("f", ref("T.W"), None, Way(how), text, exclude=True)) == len(known) - len(wanted)


def test_a_broken_expression_and_a_field_that_is_no_text_are_one_clear_error():
    joined = source(table("T", {"W": ["a"], "N": [1], "D": [dt.date(2026, 1, 1)]}))
    with pytest.raises(FoldError, match="not a regular expression"):
        kept(joined, TextRule("f", ref("T.W"), None, Way.MATCHES, "(["))
    with pytest.raises(FoldError, match="not text"):
        kept(joined, TextRule("f", ref("T.D"), None, Way.CONTAINS, "1"))
    with pytest.raises(FoldError, match="not a date"):
        kept(joined, Relative("f", ref("T.N")))


def period(day, unit):
    return {"year": (day.year,), "quarter": (day.year, (day.month - 1) // 3), "month": (day.year, day.month), "week": tuple(day.isocalendar())[:2], "day": (day,)}[unit]  # fmt: skip


@cache
def periods(how, count, unit, as_of):
    """The periods of a window before or after the current one, by walking the calendar day by day from the as-of date."""
    step, seen, here = dt.timedelta(days=-1 if how == "last" else 1), [], as_of
    while len(seen) <= count:
        if period(here, unit) not in seen and period(here, unit) != period(as_of, unit):
            seen.append(period(here, unit))
        here += step
    return seen[:count]


def holds(day, how, count, unit, as_of):
    """Whether a day lies in the window."""
    if how in ("this", "to date"):
        return period(day, unit) == period(as_of, unit) and (how == "this" or day <= as_of)
    return period(day, unit) in periods(how, count, unit, as_of)


@pytest.mark.parametrize("how", ["last", "this", "to date", "next"])
@pytest.mark.parametrize("unit", ["year", "quarter", "month", "week", "day"])
def test_relative_dates_are_whole_periods_around_the_as_of_date(how, unit):
    draw = random.Random(5)
    days = [dt.date(2023, 11, 1) + dt.timedelta(days=draw.randrange(1200)) for _ in range(400)]
    joined = source(
        table("T", {"D": days}), table("S", {"M": [dt.datetime.combine(day, dt.time(23, 59, 59)) for day in days]})
    )
    for as_of in (dt.date(2024, 12, 31), dt.date(2025, 1, 1), dt.date(2025, 5, 17)):
        for count in (1, 3):
            wanted = sum(holds(day, how, count, unit, as_of) for day in days)
            assert (
                kept(joined, Relative("f", ref("T.D"), None, Window(how), count, Unit(unit)), as_of=as_of.isoformat())
                == wanted
            )
            assert (
                kept(joined, Relative("f", ref("S.M"), None, Window(how), count, Unit(unit)), as_of=as_of.isoformat())
                == wanted
            )


def test_the_as_of_date_is_the_latest_in_the_data_unless_told_otherwise():
    joined = source(table("T", {"D": [dt.date(2025, 1, 31), dt.date(2025, 2, 1), dt.date(2025, 2, 9)]}))
    assert kept(joined, Relative("f", ref("T.D"), None, Window.THIS, 1, Unit.MONTH)) == 2
    assert kept(joined, Relative("f", ref("T.D"), None, Window.LAST, 1, Unit.MONTH)) == 1
    assert kept(joined, Relative("f", ref("T.D"), None, Window.THIS, 1, Unit.YEAR), as_of="today") == 0
    with pytest.raises(FoldError, match="is not a date"):
        kept(joined, Relative("f", ref("T.D")), as_of="soon")
    with pytest.raises(FoldError, match="no period"):
        kept(joined, Relative("f", ref("T.D"), None, Window.LAST, 0))
    with pytest.raises(FoldError, match="beyond the calendar"):
        kept(joined, Relative("f", ref("T.D"), None, Window.LAST, 99_999, Unit.YEAR))


def test_filters_say_themselves():
    joined = source(table("T", {"D": [dt.date(2025, 1, 31)], "W": ["a"]}))
    rules = (Relative("f", ref("T.D")), TextRule("g", ref("T.W"), None, Way.STARTS, "a", True))
    report = Engine(joined).fold(Fold("F", (Measure("n", "count"),), filters=rules))
    assert report.sentence.endswith("keeping D: the last 4 quarters and W: does not start with “a”")


def test_a_filter_of_thousands_of_members_asks_for_the_names_of_those_alone_that_it_says():
    asked = []
    rule = Members("f", ref("T.Site"), members=tuple(str(at) for at in range(5_000)), blank=True)
    assert (
        rule.condition(lambda key: asked.append(key) or f"Site {key}")
        == "Site 0, Site 1, Site 2, Site 3 and 4,997 more"
    )
    assert len(asked) == 4
    few = Members("f", ref("T.Site"), members=("1",), blank=True, no_match=True, exclude=True)
    assert few.condition(str) == "not 1, (blank), (no match)"
