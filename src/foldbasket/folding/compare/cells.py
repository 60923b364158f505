"""What a comparison sees and what comparisons are made of: cells of other lines, quotients, blocks in one unit."""

from __future__ import annotations

from collections.abc import Mapping

import msgspec
import numpy as np
import numpy.typing as npt
from msgspec.structs import replace

from foldbasket.errors import FoldError
from foldbasket.folding.compare.sides import Side, Targets
from foldbasket.folding.states.aggregates.aggregate import Block, beyond_numbers
from foldbasket.folding.states.exact import may_overflow, ratio
from foldbasket.spec.comparison import Comparison
from foldbasket.tables.types import FieldType

PERCENT = "#,##0.0%"


class Cells(msgspec.Struct, frozen=True, eq=False):
    """What a comparison sees: both axes with every total, and the other measures by their words."""

    rows: Side
    columns: Side
    measures: Mapping[str, Block]


def compared(comparison: Comparison, block: Block, cells: Cells, name: str) -> Block:
    """A measure's block compared. Raises FoldError where its values are no numbers."""
    if not block.type.is_number or block.dictionary is not None:
        raise FoldError(
            f"“{name}” is {block.type.value}, which cannot be compared.", todo="Compare a measure of numbers."
        )
    made = comparison.of(block, cells)
    rows, columns = cells.rows.same, cells.columns.same
    if (rows == np.arange(len(rows))).all() and (columns == np.arange(len(columns))).all():
        return made
    data, blank = taken(made, rows, columns)
    return replace(made, data=data, blank=blank)


def taken(block: Block, rows: Targets, columns: Targets) -> tuple[npt.NDArray, npt.NDArray[np.bool_]]:
    """The cells of other lines, shape (rows, columns), and where there is none."""
    if not block.data.size:
        return block.data, block.blank
    place = np.ix_(np.maximum(rows, 0), np.maximum(columns, 0))
    absent = (rows < 0)[:, None] | (columns < 0)[None, :]
    return block.data[place], block.blank[place] | absent


def moved(block: Block, targets: Targets, is_columns: bool) -> tuple[npt.NDArray, npt.NDArray[np.bool_]]:
    lines = np.arange(block.data.shape[0 if is_columns else 1])
    return taken(block, lines, targets) if is_columns else taken(block, targets, lines)


def upright(block: Block, is_columns: bool) -> tuple[npt.NDArray, npt.NDArray[np.bool_]]:
    return (block.data.T, block.blank.T) if is_columns else (block.data, block.blank)


def laid(matrix: npt.NDArray, is_columns: bool) -> npt.NDArray:
    return np.ascontiguousarray(matrix.T) if is_columns else matrix


def quotient(block: Block, other: npt.NDArray, absent: npt.NDArray[np.bool_]) -> Block:
    """Cells divided by others in the same units, as percentages; blank over blank or zero."""
    blank = block.blank | absent | (other == 0)
    below = np.where(blank, 1, other)
    with beyond_numbers():
        shares = ratio(block.data, below)
    return Block(FieldType.REAL, np.where(blank, 0.0, shares), blank, pattern=PERCENT)


def alike(one: Block, other: Block) -> tuple[Block, Block]:
    """Two blocks of numbers in one unit: the larger scale of two exact ones, or both as reals."""
    if not (one.type.is_number and other.type.is_number):
        raise FoldError("only numbers can be compared with one another.", todo="Choose a measure of numbers.")
    if FieldType.REAL in (one.type, other.type):
        return _as_real(one), _as_real(other)
    scale = max(one.scale, other.scale)
    return _scaled(one, scale), _scaled(other, scale)


def _as_real(block: Block) -> Block:
    if block.type is FieldType.REAL:
        return block
    return Block(FieldType.REAL, block.data.astype(np.float64) / 10.0**block.scale, block.blank, pattern=block.pattern)


def _scaled(block: Block, scale: int) -> Block:
    if block.scale == scale:
        return block
    factor = 10 ** (scale - block.scale)
    data = block.data.astype(object) if may_overflow(block.data, factor) else block.data
    return Block(FieldType.DECIMAL, data * factor, block.blank, scale, pattern=block.pattern)
