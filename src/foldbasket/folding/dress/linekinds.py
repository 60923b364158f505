"""The kinds of lines of a report, as small numbers: a style is worked out once for each kind and not for each of a million lines."""

from __future__ import annotations

import math

import numpy as np
import numpy.typing as npt

from foldbasket.folding.lines.axis import Axis, Kind

MOST_COUNTED = 1 << 22
"""Up to so many possible rows are numbered by counting; more are sorted."""


def different_rows(columns: list[npt.NDArray[np.int64]]) -> tuple[list[tuple[int, ...]], npt.NDArray[np.int64]]:
    """The different rows of some columns, in order, and which of them each row is: as `np.unique` says, but without sorting a million rows."""
    if not len(columns[0]):
        return [], np.zeros(0, np.int64)
    lows = [int(each.min()) for each in columns]
    spans = [int(each.max()) - low + 1 for each, low in zip(columns, lows, strict=True)]
    many = math.prod(spans)
    if many > MOST_COUNTED:
        kinds, at = np.unique(np.stack(columns, axis=1), axis=0, return_inverse=True)
        return [tuple(kind) for kind in kinds.tolist()], at.ravel().astype(np.int64)
    keys = np.zeros(len(columns[0]), np.int64)
    for each, low, span in zip(columns, lows, spans, strict=True):
        keys *= span
        keys += each
        keys -= low
    there = np.flatnonzero(np.bincount(keys, minlength=many))
    place = np.zeros(many, np.int64)
    place[there] = np.arange(len(there))
    listed = []
    for key in there.tolist():
        kind = []
        for low, span in zip(reversed(lows), reversed(spans), strict=True):
            key, rest = divmod(key, span)
            kind.append(rest + low)
        listed.append(tuple(reversed(kind)))
    return listed, place[keys]


LINES = ("member", "subtotal", "grand", "others")


def numbered(kinds: npt.NDArray[np.int64]) -> tuple[list[int], npt.NDArray[np.int64]]:
    """The different kinds, and of each the place among them. Kinds are few and small numbers, so they are ticked off on a list."""
    there = np.zeros(int(kinds.max(initial=-1)) + 1, np.bool_)
    there[kinds] = True
    return np.flatnonzero(there).tolist(), (np.cumsum(there) - 1)[kinds]


def line_kinds(axis: Axis) -> npt.NDArray[np.int64]:
    """The number of each line's kind among `LINES`."""
    found = np.where(axis.kind == Kind.SUBTOTAL, 1, np.where(axis.kind == Kind.GRAND, 2, 0)).astype(np.int64)
    if not axis.heads:
        found[:] = 0
    for field, head in enumerate(axis.heads):
        found[(axis.level == field + 1) & (axis.codes[:, field] == head.domain.others) & (found == 0)] = 3
    return found
