"""Types are judged over all the values of a column, in the notations that exports use; nothing ambiguous is guessed."""

import datetime as dt
from decimal import Decimal

import pyarrow as pa
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from foldbasket.errors import ReadError
from foldbasket.tables.column import text_column
from foldbasket.tables.detection import judged, read_as
from foldbasket.tables.types import FieldType
from foldbasket.tables.written import moments_of, number_fits, numbers_of


def texts(column):
    return [column.text(record) for record in range(len(column))]


@pytest.mark.parametrize(
    ("written", "kind", "read"),
    [
        (["1,234.50", "12.00", "-3.25"], FieldType.DECIMAL, ["1234.50", "12.00", "-3.25"]),
        (["1.234,50", "-0,5"], FieldType.DECIMAL, ["1234.50", "-0.50"]),
        (["1 234", "5 678 901"], FieldType.WHOLE, ["1234", "5678901"]),
        (["€12.00", "-€3.25", "€1,000.00"], FieldType.DECIMAL, ["12.00", "-3.25", "1000.00"]),
        (["12.00 EUR", "3.25 EUR"], FieldType.DECIMAL, ["12.00", "3.25"]),
        (["12.50-", "3.00", "(4.25)"], FieldType.DECIMAL, ["-12.50", "3.00", "-4.25"]),
        (["12.5%", "-3%"], FieldType.DECIMAL, ["0.125", "-0.030"]),
        (["1e3", "2.5E-1"], FieldType.REAL, ["1000.0", "0.25"]),
        (["0.1234567", "2"], FieldType.REAL, ["0.1234567", "2.0"]),
        (["007", "12"], FieldType.TEXT, ["007", "12"]),
        (["12a", "14", "15"], FieldType.TEXT, ["12a", "14", "15"]),
        (["1234567890123456789012", "1"], FieldType.TEXT, ["1234567890123456789012", "1"]),
        (["yes", "No", "YES"], FieldType.YESNO, ["yes", "no", "yes"]),
        (["Y", "n"], FieldType.YESNO, ["yes", "no"]),
        (["Y", "Y"], FieldType.TEXT, ["Y", "Y"]),
        (["23/4/2026", "2/4/26"], FieldType.DATE, ["2026-04-23", "2026-04-02"]),
        (["4/23/2026", "4/2/2026"], FieldType.DATE, ["2026-04-23", "2026-04-02"]),
        (["3/4/2026", "2/4/2026"], FieldType.TEXT, ["3/4/2026", "2/4/2026"]),
        (["2.4.2026", "3.4.2026"], FieldType.DATE, ["2026-04-02", "2026-04-03"]),
        (["2026/4/2", "2026/12/31"], FieldType.DATE, ["2026-04-02", "2026-12-31"]),
        (["2 Apr 2026", "31-Dec-25", "Thu, 2 April 2026"], FieldType.DATE, ["2026-04-02", "2025-12-31", "2026-04-02"]),
        (["Apr 2, 2026", "December 31, 2025"], FieldType.DATE, ["2026-04-02", "2025-12-31"]),
        (["2026-04-02T10:11", "2026-04-03 9:05 PM"], FieldType.TIMESTAMP, ["2026-04-02 10:11:00", "2026-04-03 21:05:00"]),
        (["2026-04-02 10:00+02:00", "2026-04-02T08:00Z"], FieldType.TIMESTAMP, ["2026-04-02 08:00:00"] * 2),
        (["2026-02-30", "2026-13-01"], FieldType.TEXT, ["2026-02-30", "2026-13-01"]),
    ],
)  # fmt: skip
def test_notations_are_read_as_what_they_mean(written, kind, read):
    column = judged(text_column("Any", written)).column
    assert (column.type, texts(column)) == (kind, read)


def test_a_few_misfits_leave_the_type_and_keep_their_text():
    found = judged(text_column("Net", ["1.50"] * 40 + ["n/a", "€3.00", None]))
    assert found.column.type is FieldType.DECIMAL
    assert texts(found.column)[-3:] == [None, None, None]
    assert texts(found.text)[-3:] == ["n/a", "€3.00", None]


def test_many_misfits_make_it_text():
    assert judged(text_column("Net", ["1.50"] * 8 + ["soon", "later"])).column.type is FieldType.TEXT


def test_whole_numbers_beside_words_are_names_and_beside_blank_words_numbers():
    assert judged(text_column("House", ["1", "2", "3"] * 20 + ["12a"])).column.type is FieldType.TEXT
    assert judged(text_column("Pieces", ["1", "2", "3"] * 20 + ["n/a"])).column.type is FieldType.WHOLE


def test_a_minority_in_another_notation_is_never_read_by_guess():
    found = judged(text_column("Day", ["2026-04-02"] * 40 + ["3/4/26", "23/4/26"]))
    assert found.column.type is FieldType.DATE
    assert texts(found.column)[-2:] == [None, None]


def test_an_ambiguous_order_has_to_be_said():
    column = text_column("Day", ["3/4/26", "1/2/26"])
    with pytest.raises(ReadError, match="day/month and month/day alike"):
        read_as(column, FieldType.DATE)
    assert texts(read_as(column, FieldType.DATE, "day month year")[0]) == ["2026-04-03", "2026-02-01"]
    assert texts(read_as(column, FieldType.DATE, "month day year")[0]) == ["2026-03-04", "2026-01-02"]


def test_reading_as_a_chosen_type_tells_what_could_not_be_read():
    column, fits = read_as(text_column("Any", ["1.00", "2.50", "x"]), FieldType.WHOLE)
    assert texts(column) == ["1", None, None]
    column, fits = read_as(text_column("Any", ["12.00 EUR", "x"]), FieldType.DECIMAL)
    assert (texts(column), list(fits)) == (["12.00", None], [True, False])


AMOUNT = st.decimals(min_value=-(10**11), max_value=10**11, places=2)


def notated(amount, style):
    sign, body = ("-" if amount < 0 else ""), f"{abs(amount):,.2f}"
    return {
        "plain": sign + body.replace(",", ""),
        "thousands": sign + body,
        "comma": sign + body.replace(",", " ").replace(".", ","),
        "currency": f"{sign}€{body}",
        "code": f"{sign}{body} EUR",
        "trailing": body + ("-" if amount < 0 else ""),
        "parentheses": f"({body})" if amount < 0 else body,
    }[style]


@settings(max_examples=200, deadline=None)
@given(st.lists(AMOUNT, min_size=1, max_size=20), st.sampled_from(["plain", "thousands", "comma", "currency", "code", "trailing", "parentheses"]))  # fmt: skip
def test_amounts_in_every_notation_are_exact(amounts, style):
    written = [notated(amount, style) for amount in amounts]
    read = numbers_of(pa.array(written), "," if style == "comma" else ".")
    assert read.fits.all()
    assert [Decimal(int(units)).scaleb(-read.scale) for units in read.units] == amounts


@settings(max_examples=200, deadline=None)
@given(st.lists(st.dates(dt.date(1971, 1, 1), dt.date(2069, 12, 31)), min_size=1, max_size=20), st.sampled_from(["%d/%m/%Y", "%d.%m.%y", "%m/%d/%Y", "%d %b %Y", "%B %d, %Y", "%Y-%m-%d"]))  # fmt: skip
def test_dates_in_every_order_are_the_days_they_say(days, pattern):
    order = "month day year" if pattern.startswith("%m") else "day month year"
    read = moments_of(pa.array([day.strftime(pattern) for day in days]), order)
    assert read.fits.all()
    assert [dt.date(1970, 1, 1) + dt.timedelta(days=int(each)) for each in read.days] == days


@settings(max_examples=300, deadline=None)
@given(st.text(max_size=12))
def test_any_text_is_either_read_or_left(text):
    column = judged(text_column("Any", [text])).column
    assert len(column) == 1
    number_fits(pa.array([text]))
