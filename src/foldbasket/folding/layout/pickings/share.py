"""The fewest members that reach a share of their sum together."""

from __future__ import annotations

from collections.abc import Sequence
from decimal import Decimal
from typing import Annotated, ClassVar

from foldbasket.folding.layout.pickings.picking import Ints, Mask, first_of_each, number_of
from foldbasket.folding.states.aggregates.aggregate import Block
from foldbasket.kinds import entered, set_by
from foldbasket.spec.order import KeepStruct


@entered
class Share(KeepStruct, frozen=True, tag="share"):
    """The fewest that reach so many percent of their sum together; of equal ones the first by label."""

    number: Annotated[str, set_by("Number", hint="80")] = "80"
    standing: ClassVar[int] = 50
    label: ClassVar[str] = "the largest up to %"

    @property
    def said(self) -> str:
        return f"the largest up to {self.number} %"

    def kept(self, values: Block, parents: Ints) -> Mask:
        wanted = number_of(self.number, 0)

        def many(known: Sequence[Decimal]) -> int:
            whole, reached, count = sum(known), Decimal(0), 0
            while count < len(known) and reached < whole * wanted / 100:
                reached, count = reached + known[count], count + 1
            return count

        return first_of_each(values, parents, many, with_equals=False)
