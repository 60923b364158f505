"""Bands with as equal numbers of records as the values allow."""

from __future__ import annotations

from collections.abc import Sequence
from decimal import Decimal
from typing import Annotated, ClassVar

import numpy as np

from foldbasket.errors import FoldError
from foldbasket.folding.members.bands.band import MOST_BANDS, NO_VALUES, Numbers
from foldbasket.kinds import entered, set_by
from foldbasket.sayings import Saying, saying
from foldbasket.spec.cut import BandsStruct
from foldbasket.tables.types import MAX_SCALE


@entered
class Counts(BandsStruct, frozen=True, tag="counts"):
    """So many bands with as equal numbers of records of the field's table as its values allow."""

    size: Annotated[str, set_by("How many", hint="4")] = "4"
    standing: ClassVar[int] = 20
    label: ClassVar[str] = "bands of equal counts"
    sayings: ClassVar[tuple[Saying, ...]] = (saying("in {size:number} bands of equal counts"),)
    meaning: ClassVar[str] = "Each with about as many records."

    def between(self, numbers: Numbers) -> Sequence[Decimal]:
        size, finite = numbers.size(self.size, "number"), numbers.finite
        if not len(finite):
            return NO_VALUES
        if size != int(size) or size > MOST_BANDS:
            raise FoldError(f"{self.size} is no number of bands for “{numbers.field}”.", todo="Type one such as 4.")
        many = int(size)
        places = [len(finite) * at // many for at in range(1, many)]
        ordered = np.partition(finite, places) if places else finite
        edges = [finite.min(), *(ordered[place] for place in places), finite.max()]
        different = sorted({numbers.exact(edge) for edge in edges})
        if len(different) == 1:
            different.append(different[0] + Decimal(1).scaleb(-min(numbers.scale, MAX_SCALE)))
        return different
