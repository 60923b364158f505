"""The different values of an array, or rows of a matrix, found by putting them in order or ticking them off."""

from __future__ import annotations

import math
from typing import TypeVar

import numpy as np
import numpy.typing as npt

CLOSE = 4
"""So many places a number are worth a list of all that lie between the smallest and the largest."""

Number = TypeVar("Number", bound=np.integer)


def distinct(values: npt.NDArray[Number]) -> npt.NDArray[Number]:
    """The different ones of some whole numbers, the smallest first. NumPy's own `unique` hashes them since 2.3, which takes 45 times
    as long for a million numbers that are all different (0.63 s against 14 ms), and five times for a thousand that come again and again."""
    if not values.size:
        return values.ravel()
    low, high = int(values.min()), int(values.max())
    if high - low <= CLOSE * values.size:  # close together they are ticked off, each at its place
        there = np.zeros(high - low + 1, np.bool_)
        holds = high - low <= np.iinfo(values.dtype).max  # small ones with a sign may not hold the distance
        wide = values if holds else values.astype(np.int64)
        there[(wide - wide.dtype.type(low)).ravel()] = True
        return (np.flatnonzero(there).astype(wide.dtype) + wide.dtype.type(low)).astype(values.dtype)
    ordered = np.sort(values, axis=None)
    return ordered[np.append(True, ordered[1:] != ordered[:-1])]


def numbered(values: npt.NDArray[np.int64]) -> tuple[npt.NDArray[np.int64], npt.NDArray[np.int64]]:
    """The different ones of some whole numbers, the smallest first, and which of them each is; shapes (different,) and (values,)."""
    if not values.size:
        return values, np.zeros(0, np.int64)
    low, high = int(values.min()), int(values.max())
    if high - low > CLOSE * values.size:
        found, inverse = np.unique(values, return_inverse=True)
        return found, inverse.astype(np.int64)
    there = np.zeros(high - low + 1, np.bool_)
    there[values - low] = True
    return np.flatnonzero(there) + low, (np.cumsum(there) - 1)[values - low]


def distinct_rows(rows: npt.NDArray[Number]) -> npt.NDArray[Number]:
    """The different rows of a matrix of whole numbers, in order. NumPy's own `unique` sorts rows as bytes, which takes 2.3 s for a million rows of three
    where this takes 0.05, and keeps Python's lock meanwhile."""
    return numbered_rows(rows)[0]


def keys_of_rows(rows: npt.NDArray[Number]) -> tuple[npt.NDArray[np.int64], list[int], list[int]] | None:
    """Each of some rows of whole numbers as one number, in the same order; with the smallest number of each column and how many lie from there to its
    largest, by which it is taken apart again. None where 62 bits are too few."""
    lows = [int(column.min()) for column in rows.T]
    spans = [int(column.max()) - low + 1 for column, low in zip(rows.T, lows, strict=True)]
    if math.prod(spans) >= 1 << 62:
        return None
    keys = np.zeros(len(rows), np.int64)
    for column, low, span in zip(rows.T, lows, spans, strict=True):
        keys = keys * span + (column.astype(np.int64, copy=False) - low)
    return keys, lows, spans


def comparable(values: npt.NDArray) -> npt.NDArray:
    """Numbers in the order of some numbers: themselves, or of Python's own the place of each among the different ones."""
    return np.unique(values, return_inverse=True)[1].reshape(-1) if values.dtype == object else values


def numbered_rows(rows: npt.NDArray[Number]) -> tuple[npt.NDArray[Number], npt.NDArray[np.int64]]:
    """The different rows of a matrix of whole numbers, in order, and which of them each is; shapes (different, columns) and (rows,)."""
    if not len(rows):
        return rows, np.zeros(0, np.int64)
    keyed = keys_of_rows(rows)
    if keyed is None:
        found, inverse = np.unique(rows, axis=0, return_inverse=True)
        return found, inverse.reshape(-1).astype(np.int64)
    keys, lows, spans = keyed
    left, inverse = numbered(keys)
    found = np.empty((len(left), rows.shape[1]), rows.dtype)
    for at in range(rows.shape[1] - 1, -1, -1):
        left, digit = np.divmod(left, spans[at])
        found[:, at] = digit + lows[at]
    return found, inverse


def among_rows(rows: npt.NDArray[Number], others: npt.NDArray[Number]) -> npt.NDArray[np.bool_]:
    """Which rows of a matrix of whole numbers are among those of another; shape (rows,)."""
    if not len(rows) or not len(others):
        return np.zeros(len(rows), np.bool_)
    _, number = numbered_rows(np.concatenate([rows, others]))
    return np.isin(number[: len(rows)], number[len(rows) :])
