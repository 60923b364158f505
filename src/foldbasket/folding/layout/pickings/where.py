"""The members whose measure compares with a number."""

from __future__ import annotations

import operator
from typing import Annotated, ClassVar

import numpy as np

from foldbasket.folding.layout.pickings.picking import Ints, Mask, exact_values, number_of
from foldbasket.folding.states.aggregates.aggregate import Block
from foldbasket.kinds import Choice, entered, set_by
from foldbasket.spec.order import KeepStruct

TESTS = {">": operator.gt, "≥": operator.ge, "<": operator.lt, "≤": operator.le, "=": operator.eq, "≠": operator.ne}


class Sign(Choice):
    """How a value compares with a number."""

    ABOVE = ">"
    FROM = "≥"
    BELOW = "<"
    UP_TO = "≤"
    EQUAL = "="
    OTHER = "≠"


@entered
class WhereValue(KeepStruct, frozen=True, tag="where"):
    """Those whose measure compares with a number; a blank value never does."""

    sign: Annotated[Sign, set_by("Is")] = Sign.ABOVE
    number: Annotated[str, set_by("Number", hint="0")] = "0"
    standing: ClassVar[int] = 60
    label: ClassVar[str] = "where it is"

    @property
    def said(self) -> str:
        return f"{self.sign} {self.number}"

    def phrase(self, measure: str) -> str:
        return f"{measure} {self.said}"

    def kept(self, values: Block, parents: Ints) -> Mask:
        wanted, test = number_of(self.number), TESTS[self.sign]
        return np.array([value is not None and test(value, wanted) for value in exact_values(values)], np.bool_)
