"""Summary formulas worked out in every cell and total, from the blocks of their aggregates."""

from __future__ import annotations

import datetime
from collections.abc import Mapping

import numpy as np
import numpy.typing as npt

from foldbasket.folding.plan.summary import Ready
from foldbasket.folding.states.aggregates.aggregate import Block, real_or_whole
from foldbasket.formulas.evaluation import value
from foldbasket.formulas.tree import Node
from foldbasket.formulas.values import Vec, to_column
from foldbasket.tables.column import CodedColumn
from foldbasket.tables.types import FieldType


def block_of(ready: Ready, by_id: Mapping[str, Block], present: npt.NDArray[np.bool_], today: datetime.date) -> Block:
    """The block of a formula from those of its aggregates and measures; blank in cells that have no records."""
    shape = present.shape

    def leaf(node: Node) -> Vec | None:
        return vec_of(by_id[ready.stands_for[node]]) if node in ready.stands_for else None

    made = value(ready.formula.tree, leaf, today)
    many = present.size
    data = np.broadcast_to(made.data, (many,)).reshape(shape)
    blank = ~present
    if made.valid is not None:
        blank = blank | ~np.broadcast_to(made.valid, (many,)).reshape(shape)
    if made.type in (FieldType.TEXT, FieldType.YESNO):
        column = to_column(Vec(made.type, data.ravel(), ~blank.ravel()), "", many)
        assert isinstance(column, CodedColumn)
        codes = np.minimum(column.codes.astype(np.int64), max(0, len(column.dictionary) - 1)).reshape(shape)
        return Block(made.type, codes, blank, 0, column.dictionary)
    return Block(made.type, np.where(blank, data.dtype.type(0) if data.dtype != object else 0, data), blank, made.scale)


def vec_of(block: Block) -> Vec:
    """The cells of a block as formulas work on them, one line after the other."""
    data, valid = block.data.ravel(), ~block.blank.ravel()
    if block.dictionary is not None:
        members = block.dictionary
        values = np.array(members.texts, object) if members.type is FieldType.TEXT else np.asarray(members.values)
        empty = np.zeros(len(data), object if members.type is FieldType.TEXT else values.dtype)
        return Vec(block.type, values[data.astype(np.int64)] if len(values) else empty, valid)
    bound = 0
    if data.dtype.kind != "f" and len(data):
        bound = max(abs(int(data.min())), abs(int(data.max())))
    return Vec(real_or_whole(block), data, valid, block.scale, bound)
