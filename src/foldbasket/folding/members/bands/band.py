"""What bands of numbers are: members between edges, and the numbers that the edges are made of."""

from __future__ import annotations

import math
from decimal import Decimal, InvalidOperation

import msgspec
import numpy as np
import numpy.typing as npt

from foldbasket.errors import FoldError
from foldbasket.folding.members.parts.part import Days, Part
from foldbasket.later import exp
from foldbasket.spec.cut import Bands
from foldbasket.sql.dialects import Dialect
from foldbasket.sql.pieces import Sql, applied, both, chosen, is_known, number, text
from foldbasket.styling.numbers import NumberStyle, number_writer
from foldbasket.tables.types import FieldType, exact_decimal, shifted

OUTSIDE = "(outside)"
MOST_BANDS = 10_000
NO_VALUES = (Decimal(0), Decimal(1))
"""The one band of a field without values."""


class Band(Part):
    """The bands that a field has, as a part of its numbers: number k stands for the band between edges k and k + 1."""

    name, label, is_period = "band", "Band", False

    def __init__(self, edges: tuple[Decimal, ...], kind: FieldType, scale: int) -> None:
        self.edges, self.kind, self.scale = edges, kind, scale
        self.every = range(len(edges) - 1)
        self.outside = self.last = len(edges) - 1

    def of(self, days: Days) -> Days:
        """The band of each number in stored form; those outside all bands get the number after the last."""
        if self.kind is FieldType.REAL:
            edges: npt.NDArray = np.array([float(edge) for edge in self.edges])
            top = edges[-1]
        else:  # units are whole, so an edge between two of them is the upper one
            edges = np.array([math.ceil(shifted(edge, self.scale)) for edge in self.edges], np.int64)
            top = math.floor(shifted(self.edges[-1], self.scale))
        found = np.searchsorted(edges, days, side="right") - 1
        found[found < 0] = self.outside
        found[(days == top) & (days >= edges[0])] = self.outside - 1
        return found

    def in_sql(self, date: Sql, dialect: Dialect) -> Sql:
        cases = []
        for at in self.every:
            low, high = (number(each) for each in self.edges[at : at + 2])
            below = exp.LTE if at == len(self.every) - 1 else exp.LT
            inside = both(applied(exp.GTE, date.copy(), low), applied(below, date.copy(), high))
            cases.append((inside, text(self.key(at))))
        return chosen([*cases, (is_known(date.copy()), text(self.key(self.outside)))])

    def key(self, number: int) -> str:
        return "outside" if number == self.outside else f"{self.edges[number]:f} .. {self.edges[number + 1]:f}"

    def parse(self, key: str) -> int:
        for band in range(len(self.edges)):
            if self.key(band) == key:
                return band
        raise ValueError(f"“{key}” is not one of the bands, which are written like “{self.key(0)}”.")

    def text(self, number: int, locale: str) -> str:
        if number == self.outside:
            return OUTSIDE
        low, high = (_written(self.edges[at], locale) for at in (number, number + 1))
        return f"{low} to {high}" if number == self.outside - 1 else f"{low} to below {high}"


def _written(edge: Decimal, locale: str) -> str:
    places = max(0, -int(edge.normalize().as_tuple().exponent))
    writer = number_writer(NumberStyle(), "#,##0." + "0" * places if places else "#,##0", locale, "EUR")
    return writer.units(int(edge.scaleb(places)), places) if abs(edge) < 10**15 else f"{edge:f}"


class Numbers(msgspec.Struct, frozen=True, eq=False):
    """The values of a field in stored form, without blanks, and what is needed to read them."""

    values: npt.NDArray
    kind: FieldType
    scale: int
    field: str

    @property
    def finite(self) -> npt.NDArray:
        """Those that lie between two edges at all."""
        return self.values[np.isfinite(self.values)] if self.kind is FieldType.REAL else self.values

    def exact(self, raw: float | int) -> Decimal:
        """A value as it is meant."""
        return Decimal(float(raw)) if self.kind is FieldType.REAL else exact_decimal(int(raw), self.scale)

    def typed(self, text: str) -> Decimal:
        """A number as somebody typed it. Raises FoldError for what is none."""
        try:
            number = Decimal(text.replace(",", ".").strip())
        except InvalidOperation:
            number = Decimal("NaN")
        if not number.is_finite() or abs(number) >= Decimal(10) ** 18:
            raise FoldError(f"“{text}” is not a number for the bands of “{self.field}”.", todo="Type one such as 100.")
        return number

    def size(self, text: str, what: str) -> Decimal:
        """A number above 0; `what` says of what."""
        size = self.typed(text)
        if size <= 0:
            raise FoldError(f"{text} is no {what} of bands for “{self.field}”.", todo="Type a number above 0.")
        return size


def band_of(bands: Bands, values: npt.NDArray, kind: FieldType, scale: int, field: str) -> Band:
    """The bands over a field's values, given in stored form without blanks. Raises FoldError when they make no sense."""
    if not kind.is_number:
        raise FoldError(
            f"“{field}” is {kind.value}, so it has no bands.",
            todo="Take a field of numbers, or make groups of its members.",
        )
    return Band(tuple(bands.between(Numbers(values, kind, scale, field))), kind, scale)
