"""Records that repeat an earlier one: found by a number for each record, and compared value by value before it is said.

Long varied text that is not encoded yet is hashed from its bytes by a compiled loop; without the compiler it is encoded.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import cache
from typing import Any

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from foldbasket.tables.column import Column, DeferredColumn, NumberColumn
from foldbasket.tables.table import Table

_STEP = 1 << 16  # stays in cache
_MIX, _TURN = np.uint64(0x9E3779B97F4A7C15), np.uint64(0xBF58476D1CE4E5B9)


def repeated(table: Table, fields: Sequence[str] = ()) -> npt.NDArray[np.bool_]:
    """The records that are alike to an earlier one in the fields (all, when none are given), as a mask of shape (records,)."""
    columns = [table.texts.get(name, table.column(name)) for name in (fields or table.columns)]
    found = np.zeros(table.count, np.bool_)
    hashes = _hashes(columns, table.count)
    if pc.count_distinct(pa.array(hashes)).as_py() == table.count:
        return found
    order = np.argsort(hashes, kind="stable")
    starts = np.flatnonzero(np.append(True, hashes[order[1:]] != hashes[order[:-1]]))
    first = np.repeat(order[starts], np.diff(np.append(starts, len(order))))
    again = order != first
    later, earlier = order[again], first[again]
    for column in columns:
        same = _alike(column, later, earlier)
        later, earlier = later[same], earlier[same]
    found[later] = True
    return found


def _alike(column: Column, one: npt.NDArray[np.int64], other: npt.NDArray[np.int64]) -> npt.NDArray[np.bool_]:
    if isinstance(column, NumberColumn):
        same = column.values[one] == column.values[other]
        return same if column.valid is None else same & (column.valid[one] == column.valid[other])
    if isinstance(column, DeferredColumn) and (held := column.as_held()) is not None:
        texts = [pc.fill_null(held.take(pa.array(at)), "") for at in (one, other)]
        return np.asarray(pc.equal(*texts).to_numpy(), np.bool_)
    codes = column.coded().codes
    return np.asarray(codes[one] == codes[other], np.bool_)


def _hashes(columns: Sequence[Column], count: int) -> npt.NDArray[np.uint64]:
    """A number for each record, the same for records with the same values."""
    hashes = np.zeros(count, np.uint64)
    parts = [_numbers(column) for column in columns]
    for start in range(0, count, _STEP):
        part = hashes[start : start + _STEP]
        for column, values in zip(columns, parts, strict=True):
            some = values[start : start + _STEP]
            numbers = some.view(np.uint64) if some.dtype.itemsize == 8 else some.astype(np.uint64)
            if isinstance(column, NumberColumn) and column.valid is not None:
                numbers = numbers ^ (column.valid[start : start + _STEP].astype(np.uint64) << np.uint64(63))
            part ^= numbers * _MIX
            part *= _TURN
            part ^= part >> np.uint64(29)
    return hashes


def _numbers(column: Column) -> npt.NDArray:
    if isinstance(column, NumberColumn):
        return column.values
    if isinstance(column, DeferredColumn) and (held := column.as_held()) is not None:
        hashed = _text_hashes(held)
        if hashed is not None:
            return hashed
    return column.coded().codes


def _text_hashes(values: pa.ChunkedArray) -> npt.NDArray[np.uint64] | None:
    """Hashes of text by its bytes (FNV-1a over them, by Fowler, Noll and Vo); None without the compiler."""
    kernel = _kernel()
    if kernel is None:
        return None
    result = np.zeros(len(values), np.uint64)
    at = 0
    for chunk in values.chunks:
        plain = chunk.dictionary if pa.types.is_dictionary(chunk.type) else chunk
        plain = plain.cast(pa.string())
        own = np.zeros(len(plain), np.uint64)
        if len(plain):
            offsets = np.frombuffer(plain.buffers()[1], np.int32)[plain.offset : plain.offset + len(plain) + 1]
            data = plain.buffers()[2]
            kernel(offsets, np.frombuffer(data, np.uint8) if data is not None else np.zeros(1, np.uint8), own)
        if plain.null_count:
            own[plain.is_null().to_numpy(zero_copy_only=False)] = 0
        if pa.types.is_dictionary(chunk.type):
            codes = chunk.indices.fill_null(0).to_numpy()
            own = own[codes] if len(own) else np.zeros(len(codes), np.uint64)
            if chunk.indices.null_count:
                own = np.where(chunk.indices.is_null().to_numpy(zero_copy_only=False), np.uint64(0), own)
        result[at : at + len(own)] = own
        at += len(own)
    return result


@cache
def _kernel() -> Callable[..., None] | None:
    try:
        import numba
    except ImportError:
        return None

    def hashed(offsets: Any, data: Any, result: Any) -> None:
        for at in range(len(result)):
            number = np.uint64(0xCBF29CE484222325)
            for place in range(offsets[at], offsets[at + 1]):
                number = (number ^ np.uint64(data[place])) * np.uint64(0x100000001B3)
            result[at] = number if offsets[at + 1] > offsets[at] else np.uint64(0)

    compiled: Callable[..., None] = numba.njit(cache=True, nogil=True)(hashed)
    return compiled
