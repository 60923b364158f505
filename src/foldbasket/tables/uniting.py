"""Dictionaries of parts of a field made into one, by their values."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from foldbasket.errors import FoldError
from foldbasket.tables.column import Dictionary
from foldbasket.tables.types import FieldType

Ints = npt.NDArray[np.int64]


def united(one: Dictionary, two: Dictionary) -> tuple[Dictionary, Ints, Ints]:
    """A dictionary with the values of both, and for each of their codes the code in it."""
    if one.type is not two.type:
        raise FoldError(f"a field is {one.type.value} in one part of its table and {two.type.value} in another.")
    if one.values is two.values:
        return one, np.arange(len(one)), np.arange(len(one))
    scale = max(one.scale, two.scale)
    first, second = _plain(one, scale), _plain(two, scale)
    found = pc.index_in(second, value_set=first)
    fresh = pc.is_null(found)
    added = second.filter(fresh)
    place = pc.fill_null(found, 0).to_numpy().astype(np.int64)
    is_new = fresh.to_numpy(zero_copy_only=False)
    place[is_new] = len(first) + np.arange(len(added))
    whole = pa.concat_arrays([first, added])
    values = whole if one.type is FieldType.TEXT else whole.to_numpy(zero_copy_only=False).astype(_kind(one))
    return Dictionary(one.type, values, scale, one.nature), np.arange(len(first)), place


def _plain(dictionary: Dictionary, scale: int) -> pa.Array:
    values = dictionary.values
    if isinstance(values, pa.Array):
        return values
    if scale != dictionary.scale:
        values = values * 10 ** (scale - dictionary.scale)
    return pa.array(values.astype(np.int64) if values.dtype.kind in "ib" else values)


def _kind(dictionary: Dictionary) -> np.dtype:
    return np.asarray(dictionary.values).dtype
