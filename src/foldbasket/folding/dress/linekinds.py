"""The kinds of lines of a report, as small numbers: a style is worked out once for each kind and not for each of a million lines."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from foldbasket.folding.lines.axis import Axis, Kind

LINES = ("member", "subtotal", "grand", "others")


def line_kinds(axis: Axis) -> npt.NDArray[np.int64]:
    """The number of each line's kind among `LINES`."""
    found = np.where(axis.kind == Kind.SUBTOTAL, 1, np.where(axis.kind == Kind.GRAND, 2, 0)).astype(np.int64)
    if not axis.heads:
        found[:] = 0
    for field, head in enumerate(axis.heads):
        found[(axis.level == field + 1) & (axis.codes[:, field] == head.domain.others) & (found == 0)] = 3
    return found
