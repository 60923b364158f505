"""Numbers as the reader sees them: patterns of Unicode LDML, negatives and scale.

Babel reads the pattern and knows the locale's signs. Plain patterns are then written by a compiled function, since a
screen holds thousands of numbers; patterns beyond it (exponents, significant digits) go through Babel each time.
"""

from __future__ import annotations

from collections.abc import Callable
from decimal import ROUND_HALF_EVEN, Context, Decimal
from functools import lru_cache
from typing import Literal

import msgspec
from babel import Locale
from babel.numbers import NumberPattern, get_currency_symbol, parse_pattern

from foldbasket.errors import PatternError

Number = int | float | Decimal

EXACT = Context(prec=100, rounding=ROUND_HALF_EVEN)
"""Wide enough for any sum of any number of amounts: nothing is rounded but by the pattern."""

SCALES = {"one": 0, "thousand": 3, "million": 6}


class NumberStyle(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """How a measure's numbers are written. `pattern` None means: by the measure's type.

    `negatives`: with a minus sign, or in parentheses as ledgers do. `scale`: what one unit on the page stands for.
    """

    pattern: str | None = None
    negatives: Literal["minus", "parentheses"] = "minus"
    scale: Literal["one", "thousand", "million"] = "one"


@lru_cache(maxsize=256)
def number_writer(style: NumberStyle, default_pattern: str, locale: str, currency: str) -> Callable[[Number], str]:
    """A function from a number to its text. Raises PatternError when the pattern is not one of LDML."""
    text = style.pattern or default_pattern
    try:
        pattern = parse_pattern(text)
    except ValueError as error:
        raise PatternError(
            f"“{text}” is not a number pattern ({error}).", todo="Write it like #,##0.00 or 0%."
        ) from None
    unquoted = text.split("'")[::2]
    sections = "".join(unquoted).split(";")
    digits = [any(sign in section for sign in "0#@") and section.count(".") <= 1 for section in sections]
    if len(sections) > 2 or not all(digits):
        raise PatternError(
            f"“{text}” is not a number pattern (it wants one or two sections with digit places).",
            todo="Write it like #,##0.00 or 0%.",
        )
    shift = SCALES[style.scale] - pattern.scale
    simple = not pattern.exp_prec and "@" not in text and pattern.grouping[0] in (3, 1000)
    positive = _plain(pattern, locale, currency) if simple else _through_babel(pattern, locale, currency)
    minus = Locale.parse(locale).number_symbols["latn"]["minusSign"]
    own_negative = simple and ";" in text  # the pattern says itself how negatives look
    negative_part = _plain(pattern, locale, currency, 1) if own_negative else positive

    def write(value: Number) -> str:
        if isinstance(value, float):
            if value != value or value in (float("inf"), float("-inf")):
                return "∞" if value > 0 else minus + "∞" if value < 0 else "?"
            # A float is written from its shortest decimal form, so that what is shown is what was meant.
            exact = Decimal(repr(value))
        else:
            exact = Decimal(value)
        if shift:
            exact = exact.scaleb(-shift, EXACT)
        body, zero = positive(exact.copy_abs())
        if exact >= 0 or zero:
            return body
        if own_negative:
            return negative_part(exact.copy_abs())[0]
        return f"({body})" if style.negatives == "parentheses" else minus + body

    return write


def _plain(pattern: NumberPattern, locale: str, currency: str, side: int = 0) -> Callable[[Decimal], tuple[str, bool]]:
    """Writes a magnitude with fixed fraction digits and groups of three; says whether it rounds to zero."""
    symbols = Locale.parse(locale).number_symbols["latn"]
    least, most = pattern.frac_prec
    whole = max(pattern.int_prec[0], 0)
    group = symbols["group"] if pattern.grouping[0] == 3 else ""
    sign = get_currency_symbol(currency, locale=locale)

    def affix(raw: str) -> str:
        return raw.replace("¤¤", currency).replace("¤", sign).replace("'", "")

    prefix, suffix = affix(pattern.prefix[side]), affix(pattern.suffix[side])
    quantum = Decimal(1).scaleb(-most)
    point = symbols["decimal"]

    def write(value: Decimal) -> tuple[str, bool]:
        rounded = value.quantize(quantum, ROUND_HALF_EVEN, EXACT)
        digits = f"{rounded:,f}"
        head, _, tail = digits.partition(".")
        if most > least:
            tail = tail[:least] + tail[least:].rstrip("0")
        if whole > 1:
            head = head.rjust(whole, "0")
        elif whole == 0 and head == "0" and tail:
            head = ""
        if group != ",":
            head = head.replace(",", group)
        return prefix + head + (point + tail if tail else "") + suffix, rounded == 0

    return write


def _through_babel(pattern: NumberPattern, locale: str, currency: str) -> Callable[[Decimal], tuple[str, bool]]:
    def write(value: Decimal) -> tuple[str, bool]:
        return pattern.apply(value, locale, currency=currency, numbering_system="latn"), value == 0

    return write


def check_pattern(pattern: str) -> None:
    """Raises PatternError when `pattern` is not an LDML number pattern."""
    number_writer(NumberStyle(pattern=pattern), "0", "en", "EUR")
