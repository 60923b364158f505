"""Numbers as the reader sees them: patterns of Unicode LDML, negatives and scale.

Babel reads the pattern and knows the locale's signs. Plain patterns are then written in whole-number arithmetic, since a
screen holds thousands of numbers; patterns beyond it (exponents, significant digits) go through Babel each time.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from decimal import Context, Decimal
from functools import lru_cache
from typing import Literal

import msgspec
from babel import Locale
from babel.numbers import NumberPattern, get_currency_symbol, parse_pattern

from foldbasket.errors import PatternError

Number = int | float | Decimal

EXACT = Context(prec=100)
"""Wide enough for any sum of any number of amounts: nothing is rounded but by the pattern."""

SCALES = {"one": 0, "thousand": 3, "million": 6}


class NumberStyle(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """How a measure's numbers are written. `pattern` None means: by the measure's type.

    `negatives`: with a minus sign, or in parentheses as ledgers do; `red` says whether in the style's accent, None as the style does.
    `scale`: what one unit on the page stands for. `zero` is the text of what is written as zero; `currency` (ISO 4217) is that of the
    measure, where it is not the basket's.
    """

    pattern: str | None = None
    negatives: Literal["minus", "parentheses"] = "minus"
    scale: Literal["one", "thousand", "million"] = "one"
    red: bool | None = None
    zero: str | None = None
    currency: str | None = None


LONG = 1e21
"""From here on a real is written with a power of ten: it is exact to 16 digits, and 300 would fill the screen."""


class NumberWriter:
    """Writes numbers in one pattern. Call it with any number, or `units` with a whole number of units of 10^-scale."""

    def __init__(self, style: NumberStyle, text: str, locale: str, currency: str) -> None:
        pattern = _parsed(text)
        currency = style.currency or currency
        self._zero = style.zero
        symbols = Locale.parse(locale).number_symbols["latn"]
        self._minus = symbols["minusSign"]
        self._point = symbols["decimal"]
        self._shift = SCALES[style.scale] - pattern.scale
        self._least, self._most = pattern.frac_prec
        self._whole = pattern.int_prec[0]
        self._group = symbols["group"] if pattern.grouping[0] == 3 else ""
        self._babel: Callable[[Decimal], str] | None = None
        if pattern.exp_prec or "@" in text or pattern.grouping[0] not in (3, 1000):
            self._babel = lambda value: str(pattern.apply(value, locale, currency=currency, numbering_system="latn"))
        sign = get_currency_symbol(currency, locale=locale)

        def affix(raw: str) -> str:
            return raw.replace("¤¤", currency).replace("¤", sign).replace("'", "")

        self._before, self._behind = affix(pattern.prefix[0]), affix(pattern.suffix[0])
        if ";" in text:  # the pattern says itself how negatives look
            self._before_negative, self._behind_negative = affix(pattern.prefix[1]), affix(pattern.suffix[1])
        elif style.negatives == "parentheses":
            self._before_negative, self._behind_negative = "(" + self._before, self._behind + ")"
        else:
            self._before_negative, self._behind_negative = self._minus + self._before, self._behind

    def __call__(self, value: Number) -> str:
        """The text of a number. A float is written from its shortest decimal form: what is shown is what was meant."""
        if isinstance(value, float):
            if value != value or value in (float("inf"), float("-inf")):
                return "∞" if value > 0 else self._minus + "∞" if value < 0 else "?"
            if abs(value) >= LONG and self._babel is None:
                return self._with_power(value)
            value = Decimal(repr(value))
        elif isinstance(value, int):
            return self.units(value, 0)
        sign, digits, exponent = value.as_tuple()
        assert isinstance(exponent, int)
        whole = int("".join(map(str, digits)) or "0") * (-1 if sign else 1)
        return self.units(whole * 10**exponent, 0) if exponent > 0 else self.units(whole, -exponent)

    def _with_power(self, value: float) -> str:
        """A real of more digits than it has to tell: its first seven, and the power of ten."""
        first, _, power = f"{abs(value):.6E}".partition("E")
        body = f"{first.rstrip('0').rstrip('.').replace('.', self._point)}E{int(power) - self._shift}"
        if value >= 0:
            return f"{self._before}{body}{self._behind}"
        return f"{self._before_negative}{body}{self._behind_negative}"

    def of(self, raw: object, scale: int, *, real: bool) -> str:
        """The text of a value as a report holds it: a real, or units of 10^-scale, whole or not."""
        if real or isinstance(raw, float):
            number = float(raw)  # type: ignore[arg-type]
            return self(number if real else number / 10**scale)
        return self.units(int(raw), scale)  # type: ignore[call-overload]

    def units(self, value: int, scale: int) -> str:
        """The text of ``value × 10^-scale``, rounded half to even as LDML asks, in whole-number arithmetic throughout."""
        if self._babel is not None:
            body = self._babel(Decimal(abs(value)).scaleb(-scale - self._shift, EXACT))
            zero = value == 0
        else:
            rounded, most = abs(value), self._most
            surplus = scale + self._shift - most
            if surplus > 0:
                step = 10**surplus
                rounded, rest = divmod(rounded, step)
                if 2 * rest > step or (2 * rest == step and rounded & 1):
                    rounded += 1
            elif surplus < 0:
                rounded *= 10**-surplus
            zero = rounded == 0
            body = self._body(rounded, most)
        if zero and self._zero is not None:
            return self._zero
        if value >= 0 or zero:
            return body if self._babel is not None else f"{self._before}{body}{self._behind}"
        return f"{self._before_negative}{body}{self._behind_negative}"

    def _body(self, rounded: int, most: int) -> str:
        if not most:
            head, tail = f"{rounded:,}", ""
        else:
            whole, part = divmod(rounded, 10**most)
            head, tail = f"{whole:,}", f"{part:0{most}d}"
            if most > self._least:
                tail = tail[: self._least] + tail[self._least :].rstrip("0")
        if self._whole > 1:
            head = head.rjust(self._whole, "0")
        elif self._whole == 0 and head == "0" and tail:
            head = ""
        if self._group != ",":
            head = head.replace(",", self._group)
        return f"{head}{self._point}{tail}" if tail else head


def _parsed(text: str) -> NumberPattern:
    try:
        pattern = parse_pattern(text)
    except ValueError as error:
        raise PatternError(
            f"“{text}” is not a number pattern ({error}).", todo="Write it like #,##0.00 or 0%."
        ) from None
    sections = "".join(text.split("'")[::2]).split(";")
    digits = [any(sign in section for sign in "0#@") and section.count(".") <= 1 for section in sections]
    if len(sections) > 2 or not all(digits):
        raise PatternError(
            f"“{text}” is not a number pattern (it wants one or two sections with digit places).",
            todo="Write it like #,##0.00 or 0%.",
        )
    return pattern


@lru_cache(maxsize=256)
def number_writer(style: NumberStyle, default_pattern: str, locale: str, currency: str) -> NumberWriter:
    """The writer of a style, kept. Raises PatternError when the pattern is not one of LDML."""
    return NumberWriter(style, style.pattern or default_pattern, locale, currency)


def check_pattern(pattern: str) -> None:
    """Raises PatternError when `pattern` is not an LDML number pattern."""
    number_writer(NumberStyle(pattern=pattern), "0", "en", "EUR")


def with_decimals(pattern: str, by: int) -> str:
    """A pattern with so many decimals more (or fewer, if negative), in each of its sections; never fewer than none."""
    if "E" in pattern or "@" in pattern:
        return pattern
    sections = []
    for section in pattern.split(";"):
        found = re.search(r"[0#,]*0(\.[0#]*)?", section)
        if found is None:
            sections.append(section)
            continue
        whole, _, part = found[0].partition(".")
        part = "0" * max(0, len(part) + by)
        sections.append(section[: found.start()] + (f"{whole}.{part}" if part else whole) + section[found.end() :])
    return ";".join(sections)
