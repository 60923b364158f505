"""Conditions against other cells: the average of the scope, another measure of the same cell; and blank cells, and all of them."""

from __future__ import annotations

import operator
from decimal import Decimal
from typing import Annotated, ClassVar

import numpy as np

from foldbasket.errors import FoldError
from foldbasket.folding.dress.judged import Cells, Mask, compared
from foldbasket.folding.layout.pickings.where import Sign
from foldbasket.kinds import entered, set_by
from foldbasket.spec.look import ConditionStruct

TESTS = {">": operator.gt, "≥": operator.ge, "<": operator.lt, "≤": operator.le, "=": operator.eq, "≠": operator.ne}


def _from_average(cells: Cells, above: bool) -> Mask:
    """Values beyond the exact average of their scope."""
    if not cells.block.type.is_number:
        raise FoldError("only numbers have an average.", todo="Choose another condition.")
    places, starts = cells.order
    shown = np.zeros(cells.blank.size, np.bool_)
    data = cells.block.data.ravel()
    for start, stop in zip(starts[:-1].tolist(), starts[1:].tolist(), strict=True):
        values = [
            Decimal(raw) if isinstance(raw, float) else Decimal(int(raw)) for raw in data[places[start:stop]].tolist()
        ]
        whole, count = sum(values), len(values)
        shown[places[start:stop]] = [value * count > whole if above else value * count < whole for value in values]
    return shown.reshape(cells.blank.shape)


@entered
class AboveAverage(ConditionStruct, frozen=True, tag="above average"):
    """More than the average of the scope."""

    standing: ClassVar[int] = 110
    label: ClassVar[str] = "above the average"
    compares: ClassVar[bool] = True

    @property
    def said(self) -> str:
        return "above the average"

    def holds(self, cells: Cells) -> Mask:
        return _from_average(cells, above=True)


@entered
class BelowAverage(ConditionStruct, frozen=True, tag="below average"):
    """Less than the average of the scope."""

    standing: ClassVar[int] = 120
    label: ClassVar[str] = "below the average"
    compares: ClassVar[bool] = True

    @property
    def said(self) -> str:
        return "below the average"

    def holds(self, cells: Cells) -> Mask:
        return _from_average(cells, above=False)


@entered
class ThanMeasure(ConditionStruct, frozen=True, tag="against measure"):
    """Compared with another measure of the same cell; blank where that is."""

    sign: Annotated[Sign, set_by("Is")] = Sign.BELOW
    measure: Annotated[str, set_by("than", of="measure")] = ""
    standing: ClassVar[int] = 130
    label: ClassVar[str] = "against a measure"

    @property
    def said(self) -> str:
        return f"{self.sign} another measure"

    def holds(self, cells: Cells) -> Mask:
        if not self.measure:
            return np.zeros(cells.blank.shape, np.bool_)
        other = cells.measure(self.measure)
        found: Mask = TESTS[self.sign](compared(cells.block, other), 0)
        return cells.known & ~other.blank & found


@entered
class IsBlank(ConditionStruct, frozen=True, tag="blank"):
    """Cells without a value."""

    standing: ClassVar[int] = 140
    label: ClassVar[str] = "blank"

    @property
    def said(self) -> str:
        return "blank"

    def holds(self, cells: Cells) -> Mask:
        return cells.judged & cells.blank


@entered
class Always(ConditionStruct, frozen=True, tag="always"):
    """Every cell with a value: for shading and bars."""

    standing: ClassVar[int] = 5
    label: ClassVar[str] = "any"

    @property
    def said(self) -> str:
        return "by its size"

    def holds(self, cells: Cells) -> Mask:
        return cells.known
