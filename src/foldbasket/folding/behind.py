"""The records that stand behind a number: how many there are, and where they can be looked at."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from foldbasket.links.source import Source

Ints = npt.NDArray[np.int64]


class Behind(NamedTuple):
    """Records of a base table. `records` are their numbers in it, of a table that is not held the first few; `source` is where they can be looked at,
    and `at` their numbers in the base table there."""

    many: int
    records: Ints
    source: Source
    at: Ints
