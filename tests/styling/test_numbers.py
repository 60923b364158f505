"""Number patterns write what Unicode LDML says, in every locale, and fast ones agree with Babel."""

from decimal import Decimal

import pytest
from babel.numbers import format_decimal
from hypothesis import given
from hypothesis import strategies as st

from foldbasket.errors import PatternError
from foldbasket.styling.numbers import NumberStyle, check_pattern, number_writer


def write(value, pattern="#,##0.00", locale="en", **style):
    return number_writer(NumberStyle(pattern=pattern, **style), "0", locale, "EUR")(value)


@pytest.mark.parametrize(
    ("value", "pattern", "locale", "text"),
    [
        (Decimal("1234567.895"), "#,##0.00", "en", "1,234,567.90"),
        (Decimal("1234567.885"), "#,##0.00", "de", "1.234.567,88"),
        (Decimal("-0.004"), "#,##0.00", "en", "0.00"),
        (1234, "0", "en", "1234"),
        (7, "000", "en", "007"),
        (0.256, "0.0%", "en", "25.6%"),
        (Decimal("5"), "¤#,##0.00", "en", "€5.00"),
        (Decimal("5.10"), "#,##0.###", "en", "5.1"),
        (0.1 + 0.2, "0.0###################", "en", "0.30000000000000004"),
        (12345, "0.00E0", "en", "1.23E4"),
        (-3, "0;(0)", "en", "(3)"),
        (1e300, "#,##0.00", "en", "1E300"),
        (-1.23456789e21, "¤#,##0", "de", "-€1,234568E21"),
        (9.99e20, "#,##0", "en", "999,000,000,000,000,000,000"),
        (2.5e22, "0.0%", "en", "2.5E24%"),
        (10**30, "#,##0", "en", "1,000,000,000,000,000,000,000,000,000,000"),
    ],
)
def test_patterns_write_numbers(value, pattern, locale, text):
    assert write(value, pattern, locale).replace("\xa0", " ") == text


def test_negatives_and_scale_are_as_chosen():
    assert write(Decimal("-1234.5"), "#,##0.0", negatives="parentheses") == "(1,234.5)"
    assert write(Decimal("-1234.5"), "#,##0.0") == "-1,234.5"
    assert write(1_234_567, "#,##0.0", scale="thousand") == "1,234.6"
    assert write(-1_234_567, "0.00", scale="million", negatives="parentheses") == "(1.23)"


def test_what_is_no_number_is_written_plainly():
    assert write(float("inf")) == "∞"
    assert write(float("nan")) == "?"


@given(
    st.decimals(-(10**12), 10**12, places=4),
    st.sampled_from(["#,##0.00", "#,##0", "0.0##", "#,##0.0000"]),
    st.sampled_from(["en", "de", "fr", "sv"]),
)
def test_the_fast_writer_agrees_with_babel(value, pattern, locale):
    theirs = format_decimal(value, pattern, locale)
    if not any(digit in theirs for digit in "123456789"):  # what rounds to zero has no sign here
        theirs = theirs.removeprefix("-")
    assert write(value, pattern, locale).replace("−", "-") == theirs


@pytest.mark.parametrize("pattern", ["''", "abc", "0.0.0", "#,##0.00;;;", "'0'"])
def test_a_pattern_that_is_none_is_refused(pattern):
    with pytest.raises(PatternError, match="not a number pattern"):
        check_pattern(pattern)
