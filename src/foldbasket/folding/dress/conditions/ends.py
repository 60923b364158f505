"""Conditions on the place of a value among the others of its scope: the top and bottom so many, or so many percent of them."""

from __future__ import annotations

import math
from typing import Annotated, ClassVar

import numpy as np

from foldbasket.folding.dress.judged import Cells, Mask
from foldbasket.folding.layout.pickings.ends import Bottom, BottomPercent, Top, TopPercent
from foldbasket.folding.layout.pickings.picking import number_of
from foldbasket.kinds import entered, set_by
from foldbasket.spec.look import ConditionStruct
from foldbasket.spec.order import Keep

Picking = Top | Bottom | TopPercent | BottomPercent


def _ends(cells: Cells, number: str, percent: bool, largest: bool) -> Mask:
    """The first so many of each scope from one end; those equal to the last stay."""
    wanted = number_of(number, 0)
    places, starts = cells.order
    shown = np.zeros(cells.blank.size, np.bool_)
    same = cells.same_as_before(places)
    for start, stop in zip(starts[:-1].tolist(), starts[1:].tolist(), strict=True):
        count = stop - start
        many = min(count, math.ceil(count * wanted / 100) if percent else int(wanted))
        if largest:
            first = stop - many
            while many and first > start and same[first]:
                first -= 1
            shown[places[first:stop]] = True
        else:
            last = start + many
            while many and last < stop and same[last]:
                last += 1
            shown[places[start:last]] = True
    return shown.reshape(cells.blank.shape)


class End(ConditionStruct, frozen=True):
    """Base of those that count from one end."""

    number: Annotated[str, set_by("How many", hint="10")] = "10"
    compares: ClassVar[bool] = True
    picking: ClassVar[type[Picking]]
    """The picking that keeps members in the same way."""
    largest: ClassVar[bool]
    percent: ClassVar[bool] = False

    @property
    def said(self) -> str:
        return f"among the {'top' if self.largest else 'bottom'} {self.number}{' %' if self.percent else ''}"

    def holds(self, cells: Cells) -> Mask:
        return _ends(cells, self.number, self.percent, self.largest)

    def keep(self, measure: str) -> Keep:
        return self.picking(measure, number=self.number)


@entered
class AmongTop(End, frozen=True, tag="top"):
    """The largest so many of the scope."""

    standing: ClassVar[int] = 70
    label: ClassVar[str] = "among the top"
    picking: ClassVar[type[Picking]] = Top
    largest: ClassVar[bool] = True


@entered
class AmongBottom(End, frozen=True, tag="bottom"):
    """The smallest so many of the scope."""

    standing: ClassVar[int] = 80
    label: ClassVar[str] = "among the bottom"
    picking: ClassVar[type[Picking]] = Bottom
    largest: ClassVar[bool] = False


@entered
class AmongTopPercent(End, frozen=True, tag="top percent"):
    """The largest so many percent of the scope."""

    standing: ClassVar[int] = 90
    label: ClassVar[str] = "among the top percent"
    picking: ClassVar[type[Picking]] = TopPercent
    largest: ClassVar[bool] = True
    percent: ClassVar[bool] = True


@entered
class AmongBottomPercent(End, frozen=True, tag="bottom percent"):
    """The smallest so many percent of the scope."""

    standing: ClassVar[int] = 100
    label: ClassVar[str] = "among the bottom percent"
    picking: ClassVar[type[Picking]] = BottomPercent
    largest: ClassVar[bool] = False
    percent: ClassVar[bool] = True
