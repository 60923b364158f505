"""The fewest members that reach a share of their sum together."""

from __future__ import annotations

from fractions import Fraction
from itertools import pairwise
from typing import Annotated, Any, ClassVar

import numpy as np

from foldbasket.folding.layout.pickings.picking import Ints, Mask, in_order, number_of, starts_of
from foldbasket.folding.states.aggregates.aggregate import Block
from foldbasket.kinds import entered, set_by
from foldbasket.sayings import Saying, saying
from foldbasket.spec.order import KeepStruct


@entered
class Share(KeepStruct, frozen=True, tag="share"):
    """The fewest that reach so many percent of their sum together; of equal ones the first by label."""

    number: Annotated[str, set_by("Number", hint="80")] = "80"
    standing: ClassVar[int] = 50
    label: ClassVar[str] = "the largest up to %"
    by_label: ClassVar[bool] = True
    sayings: ClassVar[tuple[Saying, ...]] = (saying("the largest up to {number:number} % by {measure:measure}"),)

    def kept(self, values: Block, parents: Ints) -> Mask:
        share = Fraction(number_of(self.number, 0)) / 100
        order = in_order(values, parents)
        shown = np.zeros(len(values.data), np.bool_)
        starts = starts_of(parents[order])
        for start, stop in pairwise([*starts.tolist(), len(order)]):
            members = order[start:stop]
            held = values.data[members].tolist()
            is_exact = values.data.dtype.kind == "f" and bool(np.isfinite(values.data[members]).all())
            known: list[Any] = [Fraction(each) for each in held] if is_exact else held
            wanted, count = sum(known) * share, 0
            reached: Any = 0
            while count < len(known) and reached < wanted:
                reached, count = reached + known[count], count + 1
            shown[members[:count]] = True
        return shown
