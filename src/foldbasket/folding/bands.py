"""Bands of numbers and named groups of members: two ways, beside the parts of dates, to cut a field into fewer members."""

from __future__ import annotations

import math
from decimal import Decimal, InvalidOperation
from itertools import pairwise

import numpy as np
import numpy.typing as npt

from foldbasket.errors import FoldError
from foldbasket.folding.parts.part import Days, Part
from foldbasket.spec.cut import Bands
from foldbasket.styling.numbers import NumberStyle, number_writer
from foldbasket.tables.types import MAX_SCALE, FieldType

OUTSIDE = "(outside)"
MOST_BANDS = 10_000


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
            edges = np.array([math.ceil(edge.scaleb(self.scale)) for edge in self.edges], np.int64)
            top = math.floor(self.edges[-1].scaleb(self.scale))
        found = np.searchsorted(edges, days, side="right") - 1
        found[found < 0] = self.outside
        found[(days == top) & (days >= edges[0])] = self.outside - 1
        return found

    def key(self, number: int) -> str:
        return "outside" if number == self.outside else f"{self.edges[number]:f} .. {self.edges[number + 1]:f}"

    def parse(self, key: str) -> int:
        for number in range(len(self.edges)):
            if self.key(number) == key:
                return number
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


def band_of(bands: Bands, values: npt.NDArray, kind: FieldType, scale: int, field: str) -> Band:
    """The bands over a field's values, given in stored form without blanks. Raises FoldError when they make no sense."""
    if not kind.is_number:
        raise FoldError(
            f"“{field}” is {kind.value}, so it has no bands.",
            todo="Take a field of numbers, or make groups of its members.",
        )

    def exact(raw: float | int) -> Decimal:
        return Decimal(float(raw)) if kind is FieldType.REAL else Decimal(int(raw)).scaleb(-scale)

    if bands.how == "edges":
        edges = [_number(text, field) for text in bands.edges]
        if len(edges) < 2 or any(low >= high for low, high in pairwise(edges)):
            raise FoldError(
                f"the edges of the bands of “{field}” must rise, and be two or more.",
                todo="Write them like 0, 100, 500.",
            )
        return Band(tuple(edges), kind, scale)
    size = _number(bands.size, field)
    finite = values[np.isfinite(values)] if kind is FieldType.REAL else values
    if size <= 0:
        raise FoldError(
            f"{bands.size} is no {'width' if bands.how == 'width' else 'number'} of bands for “{field}”.",
            todo="Type a number above 0.",
        )
    if not len(finite):
        return Band((Decimal(0), Decimal(1)), kind, scale)
    if bands.how == "width":
        first = math.floor(exact(finite.min()) / size)
        last = max(first + 1, math.ceil(exact(finite.max()) / size))
        if last - first > MOST_BANDS:
            raise FoldError(
                f"bands of {bands.size} would make {last - first:,} bands of “{field}”.", todo="Make them wider."
            )
        return Band(tuple(size * at for at in range(first, last + 1)), kind, scale)
    if size != int(size) or size > MOST_BANDS:
        raise FoldError(f"{bands.size} is no number of bands for “{field}”.", todo="Type one such as 4.")
    many = int(size)
    places = [len(finite) * at // many for at in range(1, many)]
    ordered = np.partition(finite, places) if places else finite
    edges = [exact(finite.min()), *(exact(ordered[place]) for place in places), exact(finite.max())]
    different = sorted(set(edges))
    if len(different) == 1:
        different.append(different[0] + Decimal(1).scaleb(-min(scale, MAX_SCALE)))
    return Band(tuple(different), kind, scale)


def _number(text: str, field: str) -> Decimal:
    try:
        number = Decimal(text.replace(",", ".").strip())
    except InvalidOperation:
        number = Decimal("NaN")
    if not number.is_finite() or abs(number) >= Decimal(10) ** 18:
        raise FoldError(f"“{text}” is not a number for the bands of “{field}”.", todo="Type one such as 100.")
    return number
