"""Scales of values: round steps, the size in which numbers are written, and their text."""

from __future__ import annotations

import math

import msgspec
import numpy as np
from babel.numbers import format_decimal, get_currency_symbol

from foldbasket.errors import OutputError
from foldbasket.folding.report.report import Report

SIZES = ((1e12, "trillion"), (1e9, "billion"), (1e6, "million"), (1e3, "thousand"))
STEPS = (1.0, 2.0, 2.5, 5.0, 10.0)


class Scale(msgspec.Struct, frozen=True):
    """From `low` to `high` in round `step`s."""

    low: float
    high: float
    step: float

    @property
    def ticks(self) -> list[float]:
        """Where lines stand."""
        many = round((self.high - self.low) / self.step)
        return [self.low + at * self.step for at in range(many + 1)]

    def share(self, value: float) -> float:
        """Where a value lies, 0 at the low end and 1 at the high one."""
        return (value - self.low) / (self.high - self.low)


def scale_of(low: float, high: float, from_zero: bool, most: int = 6) -> Scale:
    """A scale with at most so many steps that holds some values. Raises OutputError for values farther apart than any number says."""
    if from_zero:
        low, high = min(low, 0.0), max(high, 0.0)
    if not high > low:
        low, high = (min(low, 0.0), max(high, 0.0)) if low else (0.0, 1.0)
    if not math.isfinite(high - low):
        raise OutputError(
            "these values lie too far apart to be drawn.", todo="Leave out the farthest, or show them as numbers."
        )
    rough = (high - low) / max(1, most)
    power = 10.0 ** math.floor(math.log10(rough))
    step = next(each * power for each in STEPS if each * power >= rough * (1 - 1e-9))
    first, last = math.floor(low / step + 1e-9) * step, math.ceil(high / step - 1e-9) * step
    return Scale(first, last, step)


class Unit(msgspec.Struct, frozen=True):
    """How numbers of a measure are written in a chart: divided by a size, whose word stands in the title, or as percent."""

    size: float
    word: str
    percent: bool
    currency: str
    locale: str
    digits: int = 0
    """The fraction digits of values that are written out: so many that the largest has three that tell."""

    def text(self, value: float, step: float | None = None) -> str:
        """A number, with the digits that a step needs, or three that tell."""
        shown = value * 100 if self.percent else value / self.size
        digits = self.digits if step is None else _digits(step * 100 if self.percent else step / self.size)
        if shown and (abs(shown) >= 1e15 or abs(shown) < 1e-6):
            return f"{shown:.3g}"
        pattern = "#,##0" + ("." + "0" * digits if digits else "")
        said = str(format_decimal(round(shown, digits) + 0.0, pattern, locale=self.locale)).replace("-", "−")
        return f"{said}%" if self.percent else said

    @property
    def said(self) -> str:
        """What stands behind a measure's name: “, thousand €”."""
        words = " ".join(each for each in (self.word, self.currency) if each)
        return f", {words}" if words else ""


def _digits(step: float) -> int:
    digits = max(0, -math.floor(math.log10(step) + 1e-9)) if step > 0 else 0
    return digits + 1 if round(step * 10**digits, 9) != round(step * 10**digits) else digits


def unit_of(report: Report, measure: int, values: np.ndarray) -> Unit:
    """How the numbers of a measure are written in a chart of some values."""
    pattern, style = report.pattern(measure), report.measures[measure].style
    percent = "%" in pattern
    currency = ""
    if "¤" in pattern:
        currency = str(get_currency_symbol(style.currency or report.currency, locale=report.locale))
    largest = float(np.abs(values).max()) if len(values) else 0.0
    size, word = next(((size, word) for size, word in SIZES if largest >= size * 10), (1.0, ""))
    unit = 1.0 if percent else size
    told = largest * 100 if percent else largest / unit
    digits = min(2, max(0, 2 - math.floor(math.log10(told)))) if told > 0 else 0
    if report.blocks[measure].type.value == "whole number" and unit == 1.0 and not percent:
        digits = 0
    return Unit(unit, "" if percent else word, percent, currency, report.locale, digits)


def even_periods(step: int) -> int:
    """A step of periods that reads well: 1, 2, 3, 4, 6, 12, 24 …"""
    return next((each for each in (1, 2, 3, 4, 6, 12, 24, 48, 120) if each >= step), step)
