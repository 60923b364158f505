"""Bands of one width."""

from __future__ import annotations

import math
from collections.abc import Sequence
from decimal import Decimal
from typing import Annotated, ClassVar

from foldbasket.errors import FoldError
from foldbasket.folding.members.bands.band import MOST_BANDS, NO_VALUES, Numbers
from foldbasket.kinds import entered, set_by
from foldbasket.sayings import Saying, saying
from foldbasket.spec.cut import BandsStruct


@entered
class Width(BandsStruct, frozen=True, tag="width"):
    """Bands of one width, on multiples of it, over all values of the field."""

    size: Annotated[str, set_by("Width", hint="100")] = "100"
    standing: ClassVar[int] = 10
    by_ends: ClassVar[bool] = True
    label: ClassVar[str] = "bands of one width"
    sayings: ClassVar[tuple[Saying, ...]] = (saying("in bands of {size:number}"),)
    meaning: ClassVar[str] = "From a multiple of the width up to below the next."

    def between(self, numbers: Numbers) -> Sequence[Decimal]:
        size, finite = numbers.size(self.size, "width"), numbers.finite
        if not len(finite):
            return NO_VALUES
        first = math.floor(numbers.exact(finite.min()) / size)
        last = max(first + 1, math.ceil(numbers.exact(finite.max()) / size))
        if last - first > MOST_BANDS:
            raise FoldError(
                f"bands of {self.size} would make {last - first:,} bands of “{numbers.field}”.", todo="Make them wider."
            )
        return [size * at for at in range(first, last + 1)]
