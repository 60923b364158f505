"""Conditions against a number: at least, at most, above, below, equal, between."""

from __future__ import annotations

from typing import Annotated, ClassVar

from foldbasket.folding.dress.judged import Cells, Mask
from foldbasket.folding.layout.pickings.where import TESTS, Sign, WhereValue
from foldbasket.kinds import entered, set_by
from foldbasket.spec.look import ConditionStruct
from foldbasket.spec.order import Keep

Number = Annotated[str, set_by("this", hint="250000")]


class Threshold(ConditionStruct, frozen=True):
    """Base of those that compare with one number."""

    value: Number = "0"
    sign: ClassVar[Sign]
    """The sign that says the same of a member's total."""
    by_value: ClassVar[bool] = True

    def keep(self, measure: str) -> Keep:
        return WhereValue(measure, sign=self.sign, number=self.value)

    def holds(self, cells: Cells) -> Mask:
        return cells.known & TESTS[self.sign](cells.against(self.value), 0)

    @property
    def said(self) -> str:
        return f"{type(self).label} {self.value}"


@entered
class AtLeast(Threshold, frozen=True, tag="at least"):
    """The number, or more."""

    standing: ClassVar[int] = 10
    label: ClassVar[str] = "at least"
    sign: ClassVar[Sign] = Sign.FROM


@entered
class AtMost(Threshold, frozen=True, tag="at most"):
    """The number, or less."""

    standing: ClassVar[int] = 20
    label: ClassVar[str] = "at most"
    sign: ClassVar[Sign] = Sign.UP_TO


@entered
class Above(Threshold, frozen=True, tag="above"):
    """More than the number."""

    standing: ClassVar[int] = 30
    label: ClassVar[str] = "above"
    sign: ClassVar[Sign] = Sign.ABOVE


@entered
class Below(Threshold, frozen=True, tag="below"):
    """Less than the number."""

    standing: ClassVar[int] = 40
    label: ClassVar[str] = "below"
    sign: ClassVar[Sign] = Sign.BELOW


@entered
class InRange(ConditionStruct, frozen=True, tag="between"):
    """From one number to another, both ends in."""

    low: Annotated[str, set_by("from", hint="0")] = "0"
    high: Annotated[str, set_by("to", hint="100")] = "100"
    standing: ClassVar[int] = 50
    label: ClassVar[str] = "between"
    by_value: ClassVar[bool] = True

    @property
    def said(self) -> str:
        return f"from {self.low} to {self.high}"

    def holds(self, cells: Cells) -> Mask:
        return cells.known & (cells.against(self.low) >= 0) & (cells.against(self.high) <= 0)


@entered
class Equal(Threshold, frozen=True, tag="equal"):
    """The number itself."""

    standing: ClassVar[int] = 60
    label: ClassVar[str] = "equal to"
    sign: ClassVar[Sign] = Sign.EQUAL
