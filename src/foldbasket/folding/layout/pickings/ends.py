"""So many members from one end of the order by a measure, as a number or as a part of them."""

from __future__ import annotations

from decimal import Decimal
from typing import Annotated, ClassVar

from foldbasket.folding.layout.pickings.picking import Ints, Mask, first_of_each, number_of
from foldbasket.folding.states.aggregates.aggregate import Block
from foldbasket.kinds import entered, set_by
from foldbasket.sayings import Saying, saying
from foldbasket.spec.order import KeepStruct

Number = Annotated[str, set_by("Number", hint="10")]
Percent = Annotated[str, set_by("Number", hint="10")]


def _percent(text: str, many: int) -> int:
    return int((Decimal(many) * number_of(text, 0) / 100).to_integral_value("ROUND_CEILING"))


@entered
class Top(KeepStruct, frozen=True, tag="top"):
    """So many with the largest values; those equal to the last stay."""

    number: Number = "10"
    standing: ClassVar[int] = 10
    label: ClassVar[str] = "the top"
    sayings: ClassVar[tuple[Saying, ...]] = (saying("top {number:number} by {measure:measure}"),)

    def kept(self, values: Block, parents: Ints) -> Mask:
        wanted = int(number_of(self.number, 0))
        return first_of_each(values, parents, lambda _: wanted)


@entered
class Bottom(KeepStruct, frozen=True, tag="bottom"):
    """So many with the smallest values; those equal to the last stay."""

    number: Number = "10"
    standing: ClassVar[int] = 20
    label: ClassVar[str] = "the bottom"
    sayings: ClassVar[tuple[Saying, ...]] = (saying("bottom {number:number} by {measure:measure}"),)

    def kept(self, values: Block, parents: Ints) -> Mask:
        wanted = int(number_of(self.number, 0))
        return first_of_each(values, parents, lambda _: wanted, smallest=True)


@entered
class TopPercent(KeepStruct, frozen=True, tag="top percent"):
    """So many percent of the members, those with the largest values."""

    number: Percent = "10"
    standing: ClassVar[int] = 30
    label: ClassVar[str] = "the top percent"
    sayings: ClassVar[tuple[Saying, ...]] = (saying("top {number:number} % by {measure:measure}"),)

    def kept(self, values: Block, parents: Ints) -> Mask:
        return first_of_each(values, parents, lambda known: _percent(self.number, known))


@entered
class BottomPercent(KeepStruct, frozen=True, tag="bottom percent"):
    """So many percent of the members, those with the smallest values."""

    number: Percent = "10"
    standing: ClassVar[int] = 40
    label: ClassVar[str] = "the bottom percent"
    sayings: ClassVar[tuple[Saying, ...]] = (saying("bottom {number:number} % by {measure:measure}"),)

    def kept(self, values: Block, parents: Ints) -> Mask:
        return first_of_each(values, parents, lambda known: _percent(self.number, known), smallest=True)
