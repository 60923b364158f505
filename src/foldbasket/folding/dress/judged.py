"""The cells that a highlight judges: exact values of one measure, in the groups among which they are compared."""

from __future__ import annotations

import datetime
import math
from collections.abc import Callable, Mapping
from decimal import Decimal, InvalidOperation
from functools import cached_property

import numpy as np
import numpy.typing as npt

from foldbasket.errors import FoldError
from foldbasket.folding.compare.cells import alike
from foldbasket.folding.lines.axis import Axis, Kind
from foldbasket.folding.states.aggregates.aggregate import Block
from foldbasket.spec.look import Scope
from foldbasket.styling.dates import EPOCH
from foldbasket.tables.distinct import comparable, numbered_rows
from foldbasket.tables.types import FieldType, shifted

Mask = npt.NDArray[np.bool_]
Signs = npt.NDArray[np.int8]
EXACT = 2.0**53
"""Up to here every whole number is a float."""


class Cells:
    """Cells of one measure on every line of both axes, shape (row lines, column lines).

    `judged` says which are judged at all: members, and totals where those were asked for, with a value or without. `group` numbers the
    cells that are compared with one another; totals are compared with their like alone.
    """

    def __init__(
        self,
        block: Block,
        rows: Axis,
        columns: Axis,
        within: Scope = Scope.CELLS,
        totals: bool = False,
        other: Callable[[str], Block] | None = None,
        named: Mapping[str, Block] | None = None,
    ) -> None:
        """`other` gives the block of a measure by its id, `named` those of all by their headings."""
        self.block, self.other, self.named = block, other, named or {}
        self._rows, self._columns, self._within = rows, columns, within
        plain = ~_totals(rows)[:, None] & ~_totals(columns)[None, :]
        self.judged: Mask = np.ones(block.blank.shape, np.bool_) if totals else plain

    @property
    def blank(self) -> Mask:
        """Which cells have no value."""
        return self.block.blank

    @cached_property
    def known(self) -> Mask:
        """Which are judged and have a value."""
        return self.judged & ~self.blank

    @cached_property
    def group(self) -> npt.NDArray[np.int64]:
        """The group of every cell, as a number that is not much larger than there are cells."""
        rows, columns = _alike(self._rows), _alike(self._columns)
        like = rows[:, None] * (int(columns.max(initial=0)) + 1) + columns[None, :]
        if self._within is Scope.COLUMN:
            apart = np.broadcast_to(np.arange(len(self._columns))[None, :], like.shape)
        elif self._within is Scope.ROW:
            apart = np.broadcast_to(np.arange(len(self._rows))[:, None], like.shape)
        elif self._within is Scope.PARENT:
            apart = np.broadcast_to(_parents(self._rows)[:, None], like.shape)
        else:
            apart = np.zeros(like.shape, np.int64)
        both = like * (int(apart.max(initial=0)) + 1) + apart
        if int(both.max(initial=0)) <= 4 * both.size:
            return both
        return np.unique(both, return_inverse=True)[1].reshape(like.shape)

    def against(self, text: str) -> Signs:
        """For each cell whether its value is below (-1), equal to (0) or above (1) a value as it was typed. Raises FoldError."""
        return signs(self.block, parsed(text, self.block.type))

    def measure(self, name: str) -> Block:
        """The block of another measure of the report. Raises FoldError where it is gone."""
        if self.other is None:
            raise FoldError("there is no other measure.", todo="Choose a number.")
        return self.other(name)

    @cached_property
    def floats(self) -> npt.NDArray[np.float64]:
        """The values as reals, for lengths and shades, which are drawn and not counted; 0 where blank."""
        if self.block.dictionary is not None:
            return np.zeros(self.blank.shape)
        data = np.where(self.blank, 0, self.block.data).astype(np.float64)
        return data if self.block.type is FieldType.REAL else data / 10.0**self.block.scale

    def of_groups(self, reduce: np.ufunc, start: float) -> npt.NDArray[np.float64]:
        """The smallest or largest value of each cell's group, over the judged ones with a value."""
        found = np.full(int(self.group.max(initial=0)) + 1, start)
        reduce.at(found, self.group[self.known], self.floats[self.known])
        return found[self.group]

    @cached_property
    def order(self) -> tuple[npt.NDArray[np.int64], npt.NDArray[np.int64]]:
        """The known cells as flat places, by group and then from the smallest value; and where each group begins among them, with the end
        behind."""
        at = np.flatnonzero(self.known.ravel())
        data = self.block.data.ravel()[at]
        if self.block.dictionary is not None:
            data = self.block.dictionary.binary_ranks[data.astype(np.int64)]
        groups = self.group.ravel()[at]
        places = np.lexsort((comparable(data), groups))
        ordered = groups[places]
        starts = np.flatnonzero(np.append(True, ordered[1:] != ordered[:-1])) if len(at) else np.zeros(0, np.int64)
        return at[places], np.append(starts, len(at))

    def same_as_before(self, places: npt.NDArray[np.int64]) -> Mask:
        """For flat places in order, whether each has the value of the one before it."""
        data = self.block.data.ravel()[places]
        return np.append(False, data[1:] == data[:-1]).astype(np.bool_)


def parsed(text: str, kind: FieldType) -> Decimal:
    """A value as it was typed, as a number: days for a date. Raises FoldError for what is none."""
    said = text.strip()
    if kind.is_time:
        try:
            return Decimal((datetime.date.fromisoformat(said) - EPOCH).days)
        except ValueError:
            raise FoldError(f"“{text}” is not a date.", todo="Write it like 2026-09-30.") from None
    factor = Decimal(1)
    if said.endswith("%"):
        said, factor = said[:-1].strip(), Decimal("0.01")
    try:
        number = Decimal(said.replace(" ", "").replace("−", "-")) * factor
        if not number.is_finite():
            raise InvalidOperation
    except InvalidOperation:
        raise FoldError(f"“{text}” is not a number.", todo="Type one such as 250000 or 12.5%.") from None
    return number


def signs(block: Block, value: Decimal) -> Signs:
    """How each cell of a block compares with a value, exactly: -1 below, 0 equal, 1 above."""
    data = block.data
    if block.dictionary is not None or not (block.type.is_number or block.type.is_time):
        raise FoldError(f"a {block.type.value} does not compare with a number.", todo="Choose another condition.")
    if block.type is FieldType.TIMESTAMP:
        value = value * 86_400_000_000
    wanted = value if block.type is FieldType.REAL else shifted(value, block.scale)
    if block.type is FieldType.REAL:
        return _float_signs(data.astype(np.float64), wanted)
    whole = int(wanted.to_integral_value("ROUND_FLOOR"))
    if data.dtype != object and not -(2**63) <= whole < 2**63:
        return np.full(data.shape, -1 if whole > 0 else 1, np.int8)
    found = np.sign((data > whole).astype(np.int8) - (data < whole).astype(np.int8)).astype(np.int8)
    if wanted != whole:  # no unit is equal to what lies between two
        found[data == whole] = -1
        if data.dtype == object:  # but a number that is not exact may lie there
            for at in np.argwhere((data > whole) & (data < whole + 1)):
                found[tuple(at)] = _compared(_number(data[tuple(at)]), wanted)
    return found


def _float_signs(data: npt.NDArray, wanted: Decimal) -> Signs:
    near = float(wanted)
    found = (data > near).astype(np.int8) - (data < near).astype(np.int8)
    if math.isfinite(near) and Decimal(near) != wanted:  # no float lies between the two
        found[data == near] = 1 if Decimal(near) > wanted else -1
    return found.astype(np.int8)


def compared(one: Block, other: Block) -> Signs:
    """How each cell of a block compares with that of another, exactly."""
    if one.dictionary is not None or other.dictionary is not None or not (one.type.is_number and other.type.is_number):
        raise FoldError("only measures of numbers compare with one another.", todo="Choose another measure.")
    known = ~one.blank & ~other.blank
    left, right = (each.data for each in alike(one, other))
    found = (left > right).astype(np.int8) - (left < right).astype(np.int8)
    if (one.type is FieldType.REAL) is (other.type is FieldType.REAL):
        return found
    with np.errstate(invalid="ignore"):  # what is beyond all numbers differs by no number
        near = known & (np.abs(left - right) <= np.maximum(np.abs(left), np.abs(right)) * 1e-15)
    # What lies closer together than reals tell is compared exactly.
    for row, column in zip(*np.nonzero(near), strict=True):
        found[row, column] = _compared(_exact(one, row, column), _exact(other, row, column))
    return found


def _exact(block: Block, row: int, column: int) -> Decimal:
    raw = _number(block.data[row, column])
    return raw if block.type is FieldType.REAL else shifted(raw, -block.scale)


def _number(raw: object) -> Decimal:
    return Decimal(raw) if isinstance(raw, float) else Decimal(int(raw))  # type: ignore[call-overload]


def _compared(one: Decimal, other: Decimal) -> int:
    return (one > other) - (one < other)


def _totals(axis: Axis) -> Mask:
    """Lines that are totals; the only line of an axis without fields is none."""
    if not axis.heads:
        return np.zeros(len(axis), np.bool_)
    return (axis.kind == int(Kind.SUBTOTAL)) | (axis.kind == int(Kind.GRAND))


def _alike(axis: Axis) -> npt.NDArray[np.int64]:
    """A number for each line, alike for those that are totals of one level, or members."""
    return np.where(_totals(axis), axis.level.astype(np.int64) + 1, 0)


def _parents(axis: Axis) -> npt.NDArray[np.int64]:
    """A number for each line, alike for those under one parent."""
    if axis.depth < 2:
        return np.zeros(len(axis), np.int64)
    outer = axis.codes[:, : axis.depth - 1].copy()
    # A line ends at its level; its parent one before.
    outer[np.arange(axis.depth - 1)[None, :] >= np.maximum(axis.level - 1, 0)[:, None]] = -1
    return numbered_rows(outer)[1]
