"""The members whose measure compares with a number."""

from __future__ import annotations

from typing import Annotated, ClassVar

import numpy as np

from foldbasket.folding.layout.pickings.picking import Ints, Mask, check_numbers, nearest, number_of
from foldbasket.folding.states.aggregates.aggregate import Block
from foldbasket.kinds import Choice, entered, set_by
from foldbasket.sayings import Saying, saying
from foldbasket.spec.order import KeepStruct

TESTS = {
    ">": np.greater, "≥": np.greater_equal, "<": np.less, "≤": np.less_equal, "=": np.equal, "≠": np.not_equal
}  # fmt: skip


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
    sayings: ClassVar[tuple[Saying, ...]] = (saying("{measure:measure} {sign:choice} {number:number}"),)

    def kept(self, values: Block, parents: Ints) -> Mask:
        check_numbers(values)
        below, above, is_held = nearest(values, number_of(self.number))
        if is_held or self.sign not in (Sign.EQUAL, Sign.OTHER):
            # Above a number that cannot be held is above the one below it, and so on.
            found = TESTS[self.sign](values.data, above if self.sign in (Sign.FROM, Sign.BELOW) else below)
        else:
            found = np.full(len(values.data), self.sign is Sign.OTHER)
        shown: Mask = found.astype(np.bool_) & ~values.blank
        return shown
