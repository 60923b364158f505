"""Columns: small codes, canonical text, natures, profiles, and parts joined into one."""

import datetime
from decimal import Decimal

import numpy as np
import pyarrow as pa
import pytest

from foldbasket.errors import FoldError
from foldbasket.tables.column import CodedColumn, DeferredColumn, NumberColumn, joined, smallest_codes, text_column
from foldbasket.tables.nature import Nature, nature_of
from foldbasket.tables.profile import profile_of
from foldbasket.tables.types import FieldType, canonical, exact_decimal, parse_canonical
from tests.folding.build import table


@pytest.mark.parametrize(("highest", "size"), [(0, 1), (255, 1), (256, 2), (65_535, 2), (65_536, 4), (2**32, 8)])
def test_codes_are_as_small_as_they_can_be(highest, size):
    assert smallest_codes(highest).itemsize == size


def test_blanks_are_one_code_past_the_members():
    column = text_column("x", ["b", None, "a", " ", "b", ""])
    assert column.codes.dtype == np.uint8
    assert column.codes.tolist() == [0, 2, 1, 2, 0, 2]
    assert (column.blank_count, column.dictionary.texts) == (3, ["b", "a"])
    assert [column.text(at) for at in range(3)] == ["b", None, "a"]


@pytest.mark.parametrize(
    ("kind", "raw", "scale", "text"),
    [
        (FieldType.DECIMAL, -5, 2, "-0.05"),
        (FieldType.DECIMAL, 10**20, 3, "100000000000000000.000"),
        (FieldType.WHOLE, 7, 0, "7"),
        (FieldType.DATE, -1, 0, "1969-12-31"),
        (FieldType.TIMESTAMP, 1_500_000, 0, "1970-01-01 00:00:01.500000"),
        (FieldType.YESNO, True, 0, "yes"),
        (FieldType.REAL, 0.1, 0, "0.1"),
    ],
)
def test_canonical_text_names_a_value_and_reads_back(kind, raw, scale, text):
    assert canonical(kind, raw, scale) == text
    back = parse_canonical(kind, text)
    assert back == (
        exact_decimal(raw, scale)
        if kind.is_number and kind is not FieldType.REAL
        else Decimal("0.1")
        if kind is FieldType.REAL
        else raw
    )


@pytest.mark.parametrize(
    ("kind", "text"),
    [
        (FieldType.DATE, "30.4.2026"),
        (FieldType.TIMESTAMP, "noon"),
        (FieldType.YESNO, "perhaps"),
        (FieldType.WHOLE, "1,5"),
        (FieldType.DECIMAL, "1e999999"),
        (FieldType.REAL, ""),
    ],
)
def test_what_names_no_value_is_refused_with_a_sentence(kind, text):
    with pytest.raises(ValueError, match=r"“.*” .*\."):
        parse_canonical(kind, text)


def test_numbers_become_codes_of_their_sorted_values_when_grouped_by():
    column = NumberColumn("x", FieldType.DECIMAL, np.array([250, 0, 100, 250]), np.array([True, False, True, True]), 2)
    coded = column.coded()
    assert coded.codes.tolist() == [1, 2, 0, 1]
    assert [coded.dictionary.key(code) for code in (0, 1)] == ["1.00", "2.50"]
    assert (coded.dictionary.code_of("2.5"), coded.dictionary.code_of("2.505"), coded.dictionary.code_of("9")) == (
        1,
        None,
        None,
    )
    assert column.coded() is coded


def test_parts_of_a_column_are_joined_with_their_blanks_and_members():
    whole = NumberColumn("n", FieldType.WHOLE, np.array([1, 2]))
    holey = NumberColumn("n", FieldType.WHOLE, np.array([0, 3]), np.array([False, True]))
    both = joined([whole, holey])
    assert [both.text(at) for at in range(4)] == ["1", "2", None, "3"]
    days = [table("T", {"d": [datetime.date(2026, 1, day), None]}).columns["d"] for day in (9, 2)]
    together = joined(days)
    assert [together.text(at) for at in range(4)] == ["2026-01-09", None, "2026-01-02", None]
    assert joined([whole]) is whole


def test_text_that_is_put_off_is_encoded_once_when_it_is_asked_for():
    column = DeferredColumn(
        "x", pa.chunked_array([pa.array(["b", None]).dictionary_encode(), pa.array(["a", "b"]).dictionary_encode()])
    )
    assert isinstance(column, CodedColumn)
    assert (len(column), column.type, column.nbytes > 0, nature_of(column)) == (4, FieldType.TEXT, True, Nature.TEXT)
    assert profile_of(column).different is None
    assert [column.text(at) for at in range(4)] == ["b", None, "a", "b"]
    assert column.coded() is column.coded()
    assert column.blank_count == 1
    with pytest.raises(AttributeError):
        column.nothing  # noqa: B018 - asking for it is the test


@pytest.mark.parametrize(
    ("name", "values", "nature", "strand"),
    [
        ("Net", [Decimal("1.50")], Nature.AMOUNT, True),
        ("Unit price", [Decimal("1.50")], Nature.PRICE, True),
        ("Discount %", [3], Nature.PRICE, True),
        ("Einzelpreis", [Decimal("1.50")], Nature.PRICE, True),
        ("Umsatz", [Decimal("1.50")], Nature.AMOUNT, True),
        ("Prix unitaire", [Decimal("1.50")], Nature.PRICE, True),
        ("Bestellnr", [3], Nature.IDENTIFIER, False),
        ("Numéro de commande", [3], Nature.IDENTIFIER, False),
        ("Código", ["C1"], Nature.IDENTIFIER, False),
        ("Quantity", [3], Nature.QUANTITY, True),
        ("Order no.", [3], Nature.IDENTIFIER, False),
        ("Customer no.", ["C1"], Nature.IDENTIFIER, False),
        ("Year", [2026], Nature.IDENTIFIER, False),
        ("Region", ["East"] * 60, Nature.CATEGORY, False),
        ("Remark", [f"text {at}" for at in range(200)], Nature.TEXT, False),
        ("Order date", [datetime.date(2026, 1, 1)], Nature.DATE, False),
        ("Paid", [True], Nature.CATEGORY, False),
    ],
)
def test_the_nature_of_a_field_follows_from_its_type_name_and_values(name, values, nature, strand):
    found = nature_of(table("T", {name: values}).columns[name])
    assert (found, found.is_measured) == (nature, strand)


def test_a_profile_says_blanks_range_and_shape():
    of = table(
        "T",
        {
            "n": [1, None, 9, 5],
            "t": ["a", "a", "b", None],
            "d": [datetime.date(2026, 1, day) for day in (3, 1, 2, 1)],
            "none": [None] * 4,
        },
    )
    numbers, texts, days, nothing = (profile_of(column) for column in of.columns.values())
    assert (numbers.blanks, numbers.smallest, numbers.largest, max(numbers.shape)) == (1, "1", "9", 1.0)
    assert (texts.different, texts.shape) == (2, (1.0, 0.5))
    assert (days.smallest, days.largest, days.shape) == ("2026-01-01", "2026-01-03", (1.0, 0.5, 0.5))
    assert (nothing.blanks, nothing.shape) == (4, ())


def test_a_table_names_the_nearest_field():
    with pytest.raises(FoldError, match="Did you mean “Order date”"):
        table("T", {"Order date": ["x"], "Net": [1]}).column("Order dat")
    with pytest.raises(FoldError, match="Its fields are: Net"):
        table("T", {"Net": [1]}).column("Zebra")
