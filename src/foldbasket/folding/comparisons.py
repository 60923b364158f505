"""Comparisons, one class each: shares, differences, running totals, ranks. They turn the cells of a measure into others.

Computed from the aggregates, totals included, and from nothing else. Where a comparison means nothing the cell is blank: a
difference from something absent, a share of a blank or zero total, a running total on a line that does not name the field.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal

import msgspec
import numpy as np
import numpy.typing as npt

from foldbasket.errors import FoldError
from foldbasket.folding.aggregates import Block
from foldbasket.folding.axis import plural
from foldbasket.folding.sides import Side, Targets, Time, is_period
from foldbasket.tables.types import FieldType

PERCENT = "#,##0.0%"


@dataclass(frozen=True, eq=False)
class Cells:
    """What a comparison sees: both axes with every total, and the other measures by their words."""

    rows: Side
    columns: Side
    measures: Mapping[str, Block]


class Comparison(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True, tag_field="kind"):
    """Base of all comparisons."""

    @property
    def said(self) -> str:
        """How the sentence and the heading say it: “% of the column”."""
        raise NotImplementedError

    @property
    def keeps_unit(self) -> bool:
        """Whether its cells are in the unit of the measure, so that the measure's own number pattern goes with them."""
        return False

    def direction(self, names: Sequence[str]) -> str:
        """What the sentence adds about where it goes, from the headings of its axis up to the field along which it goes."""
        return ""

    def of(self, block: Block, cells: Cells) -> Block:
        """The compared cells. Raises FoldError when a word or member it names is not there."""
        raise NotImplementedError


Place = tuple[bool, int]
"""A field of a fold: whether it stands on columns, and its position there from 0."""


class Along(Comparison, frozen=True):
    """Comparisons along a field; without `along`, along the one that fits best."""

    along: str | None = None

    @staticmethod
    def best(columns: Sequence[Time | None], rows: Sequence[Time | None]) -> Place | None:
        """The field that fits best, by how the fields of both axes stand in time: the innermost period of columns or rows, else
        the innermost field of rows or columns; None where nothing is placed."""
        for is_columns, times in ((True, columns), (False, rows)):
            for at in reversed(range(len(times))):
                time = times[at]
                if time is not None and time.is_period:
                    return is_columns, at
        return _innermost(columns, rows)

    def place(self, columns: Sequence[str], rows: Sequence[str], times: Callable[[], Times]) -> Place | None:
        """The field along which it goes, from the words of both axes; None where that was taken out or there is none."""
        if self.along is None:
            return self.best(*times())
        if self.along in columns:
            return True, columns.index(self.along)
        return (False, rows.index(self.along)) if self.along in rows else None

    def _side(self, cells: Cells) -> tuple[Side, int, bool]:
        """The axis, the field's position on it, and whether the axis is the columns."""
        sides = (cells.columns, cells.rows)
        columns, rows = ([word.id for word in side.words] for side in sides)
        found = self.place(columns, rows, lambda: (sides[0].times, sides[1].times))
        if found is not None:
            return sides[0 if found[0] else 1], found[1], found[0]
        if self.along is not None:
            raise FoldError("the field to compare along is no longer on rows or columns.", todo="Choose another field.")
        raise FoldError("there is no field to compare along.", todo="Place a field on rows or columns.")


Times = tuple[Sequence[Time | None], Sequence[Time | None]]
"""How the fields of columns and of rows stand in time."""


def _innermost(columns: Sequence[Time | None], rows: Sequence[Time | None]) -> Place | None:
    return (False, len(rows) - 1) if rows else (True, len(columns) - 1) if columns else None


class _AlongTime(Along, frozen=True):
    """Comparisons that build up along a field: where there is time, along the finest, be it a period or a cycle such as the
    quarters of each year."""

    @staticmethod
    def best(columns: Sequence[Time | None], rows: Sequence[Time | None]) -> Place | None:
        timed = [
            (time.fineness, is_columns, at)
            for is_columns, times in ((True, columns), (False, rows))
            for at, time in enumerate(times)
            if time is not None
        ]
        return max(timed)[1:] if timed else _innermost(columns, rows)


class _Among(Along, frozen=True):
    """Comparisons among the members of a field, by themselves those of the innermost field of rows, else of columns."""

    @staticmethod
    def best(columns: Sequence[Time | None], rows: Sequence[Time | None]) -> Place | None:
        return _innermost(columns, rows)


class ShareOf(Comparison, frozen=True, tag="share"):
    """The share of a total: of everything, of the row, of the column, or of the parent on rows or columns."""

    whole: Literal["everything", "row", "column", "parent row", "parent column"] = "everything"

    @property
    def said(self) -> str:
        return f"% of {'everything' if self.whole == 'everything' else 'the ' + self.whole}"

    def of(self, block: Block, cells: Cells) -> Block:
        rows, columns = np.arange(len(cells.rows)), np.arange(len(cells.columns))
        if self.whole in ("everything", "column"):
            rows = np.full(len(rows), cells.rows.grand)
        if self.whole in ("everything", "row"):
            columns = np.full(len(columns), cells.columns.grand)
        if self.whole == "parent row":
            rows = cells.rows.parents
        if self.whole == "parent column":
            columns = cells.columns.parents
        return quotient(block, *taken(block, rows, columns))


class Against(Along, frozen=True, tag="against"):
    """The difference from another member of a field, the change in percent, or the percentage of it."""

    other: Literal["previous", "next", "year before", "member"] = "previous"
    member: str | None = None
    how: Literal["difference", "change", "percentage"] = "difference"

    @property
    def said(self) -> str:
        other = {"previous": "the one before", "next": "the next", "year before": "a year before"}.get(
            self.other, self.member or ""
        )
        return {"difference": "difference from", "change": "% change from", "percentage": "% of"}[
            self.how
        ] + f" {other}"

    @property
    def keeps_unit(self) -> bool:
        return self.how == "difference"

    def of(self, block: Block, cells: Cells) -> Block:
        side, at, is_columns = self._side(cells)
        if self.other == "member":
            targets = _of_member(side, at, self.member)
        elif self.other == "year before":
            if not is_period(side.domains[at]):
                raise FoldError(
                    f"“{side.words[at].field.field}” is no period, so it has no year before.",
                    todo="Compare along a date by year, quarter, month, week or day.",
                )
            targets = side.year_before(at)
        else:
            targets = side.step(at, -1 if self.other == "previous" else 1)
        return _compared(block, *_moved(block, targets, is_columns), self.how)


class AgainstMeasure(Comparison, frozen=True, tag="against measure"):
    """The difference from another measure in the same cell, the change in percent, or the percentage of it."""

    measure: str = ""
    how: Literal["difference", "change", "percentage"] = "difference"

    @property
    def said(self) -> str:
        return {"difference": "difference from", "change": "% change from", "percentage": "% of"}[
            self.how
        ] + " another measure"

    @property
    def keeps_unit(self) -> bool:
        return self.how == "difference"

    def of(self, block: Block, cells: Cells) -> Block:
        other = cells.measures.get(self.measure)
        if other is None:
            raise FoldError("the measure to compare with was taken out.", todo="Choose another measure.")
        one, two = alike(block, other)
        return _compared(one, two.data, two.blank, self.how)


class Running(_AlongTime, frozen=True, tag="running"):
    """The running total along a field in displayed order, or its share of the last; starts anew in each parent."""

    share: bool = False
    restart: bool = True

    @property
    def said(self) -> str:
        return "running share" if self.share else "running total"

    def direction(self, names: Sequence[str]) -> str:
        anew = f", anew in each {names[-2]}" if self.restart and len(names) > 1 else ""
        return f" along {names[-1]}{anew}"

    @property
    def keeps_unit(self) -> bool:
        return not self.share

    def of(self, block: Block, cells: Cells) -> Block:
        side, at, is_columns = self._side(cells)
        series = side.series(at, self.restart)
        data, blank = _upright(block, is_columns)
        known = np.where(blank, 0, data)
        if known.dtype.kind == "i":
            known = known.astype(object) if _large(known, len(known)) else known
        order = np.argsort(series, kind="stable")
        sums = np.zeros_like(known)
        starts = np.flatnonzero(np.append(True, series[order][1:] != series[order][:-1])[: len(order)])
        stops = np.append(starts[1:], len(order))[: len(starts)]
        lasts = np.zeros_like(known)
        for start, stop in zip(starts, stops, strict=True):
            lines = order[start:stop]
            sums[lines] = np.cumsum(known[lines], axis=0)
            lasts[lines] = sums[lines[-1]]
        blank = blank | (series < 0)[:, None]
        made = replace(block, data=_laid(sums, is_columns), blank=_laid(blank, is_columns))
        return quotient(made, _laid(lasts, is_columns), _laid(blank, is_columns)) if self.share else made


class Rank(_Among, frozen=True, tag="rank"):
    """The place among the members of a field in the same parent: 1 is the largest, or the smallest; equal values share one."""

    smallest_first: bool = False

    @property
    def said(self) -> str:
        return "rank from the smallest" if self.smallest_first else "rank"

    def direction(self, names: Sequence[str]) -> str:
        within = f" in each {names[-2]}" if len(names) > 1 else ""
        return f" among {plural(names[-1])}{within}"

    def of(self, block: Block, cells: Cells) -> Block:
        side, at, is_columns = self._side(cells)
        series = side.series(at, restart=True)
        data, blank = _upright(block, is_columns)
        blank = blank | ((series < 0) | side.gathered(at))[:, None]
        ranks = np.zeros(data.shape, np.int64)
        for column in range(data.shape[1]):
            lines = np.flatnonzero(~blank[:, column])
            values = data[lines, column]
            order = np.argsort(values, kind="stable")
            place = np.empty(len(lines), np.int64)
            changed = np.append(True, values[order][1:] != values[order][:-1]) if len(lines) else np.zeros(0, np.bool_)
            place[order] = np.cumsum(changed)  # equal values share a number, in ascending order
            if not self.smallest_first:
                place = place.max(initial=0) - place
            by = np.lexsort((place, series[lines]))
            group, value = series[lines][by], place[by]
            position = np.arange(len(by))
            starts = np.maximum.accumulate(np.where(np.append(True, group[1:] != group[:-1]), position, 0))
            ties = np.append(True, (group[1:] != group[:-1]) | (value[1:] != value[:-1]))
            firsts = np.maximum.accumulate(np.where(ties, position, 0))
            ranks[lines[by], column] = firsts - starts + 1
        return Block(FieldType.WHOLE, _laid(ranks, is_columns), _laid(blank, is_columns))


class MovingAverage(_AlongTime, frozen=True, tag="moving average"):
    """The average of a member and those before it, so many in all; blank where there are fewer."""

    members: int = 3

    @property
    def said(self) -> str:
        return f"average over {self.members}"

    def direction(self, names: Sequence[str]) -> str:
        return f" along {names[-1]}"

    @property
    def keeps_unit(self) -> bool:
        return True

    def of(self, block: Block, cells: Cells) -> Block:
        if self.members < 1:
            raise FoldError("a moving average takes at least one member.", todo="Type a number such as 3.")
        side, at, is_columns = self._side(cells)
        back = side.step(at, -1)
        targets: Targets = np.where(side.named(at), np.arange(len(side)), -1)
        total, missing = None, None
        for _ in range(self.members):
            data, blank = _moved(block, targets, is_columns)
            values = np.where(blank, 0, data).astype(object if block.data.dtype.kind != "f" else np.float64)
            total = values if total is None else total + values
            missing = blank if missing is None else missing | blank
            targets = np.where(targets >= 0, back[targets], -1)
        assert total is not None
        assert missing is not None
        divisor = self.members * 10**block.scale
        means = np.array([each / divisor for each in total.flat], np.float64).reshape(total.shape)
        return Block(FieldType.REAL, means, missing)


class Index(Comparison, frozen=True, tag="index"):
    """How much weight a cell has, its row and column considered: cell × everything ÷ (row × column). 1 is as expected."""

    @property
    def said(self) -> str:
        return "index"

    def of(self, block: Block, cells: Cells) -> Block:
        rows, columns = np.arange(len(cells.rows)), np.arange(len(cells.columns))
        grand_row, grand_column = np.full(len(rows), cells.rows.grand), np.full(len(columns), cells.columns.grand)
        row, no_row = taken(block, rows, grand_column)
        column, no_column = taken(block, grand_row, columns)
        everything, nothing = taken(block, grand_row, grand_column)
        blank = block.blank | no_row | no_column | nothing
        below = row.astype(np.float64) * column.astype(np.float64)
        blank = blank | (below == 0)
        above = block.data.astype(np.float64) * everything.astype(np.float64)
        return Block(FieldType.REAL, np.where(blank, 0.0, above / np.where(blank, 1.0, below)), blank)


AnyComparison = ShareOf | Against | AgainstMeasure | Running | Rank | MovingAverage | Index


def compared(comparison: AnyComparison, block: Block, cells: Cells, name: str) -> Block:
    """A measure's block compared. Raises FoldError where its values are no numbers."""
    if not block.type.is_number or block.dictionary is not None:
        raise FoldError(
            f"“{name}” is {block.type.value}, which cannot be compared.", todo="Compare a measure of numbers."
        )
    return comparison.of(block, cells)


# --- what comparisons are made of ---------------------------------------------


def taken(block: Block, rows: Targets, columns: Targets) -> tuple[npt.NDArray, npt.NDArray[np.bool_]]:
    """The cells of other lines, shape (rows, columns), and where there is none."""
    if not block.data.size:
        return block.data, block.blank
    place = np.ix_(np.maximum(rows, 0), np.maximum(columns, 0))
    absent = (rows < 0)[:, None] | (columns < 0)[None, :]
    return block.data[place], block.blank[place] | absent


def _moved(block: Block, targets: Targets, is_columns: bool) -> tuple[npt.NDArray, npt.NDArray[np.bool_]]:
    lines = np.arange(block.data.shape[0 if is_columns else 1])
    return taken(block, lines, targets) if is_columns else taken(block, targets, lines)


def _upright(block: Block, is_columns: bool) -> tuple[npt.NDArray, npt.NDArray[np.bool_]]:
    return (block.data.T, block.blank.T) if is_columns else (block.data, block.blank)


def _laid(matrix: npt.NDArray, is_columns: bool) -> npt.NDArray:
    return np.ascontiguousarray(matrix.T) if is_columns else matrix


def _of_member(side: Side, field: int, member: str | None) -> Targets:
    domain = side.domains[field]
    try:
        code = domain.code_of(member) if member is not None else None
    except ValueError as error:
        raise FoldError(str(error), where=side.words[field].field.field, todo="Choose another member.") from None
    if code is None:
        raise FoldError(
            f"“{member}” is no longer a member of {side.words[field].field.field}.",
            todo="Choose another to compare with.",
        )
    return side.with_member(field, np.full(len(side), code, np.int64))


def _compared(block: Block, other: npt.NDArray, absent: npt.NDArray[np.bool_], how: str) -> Block:
    if how == "percentage":
        return quotient(block, other, absent)
    difference = _difference(block, other, absent)
    # Over the size of what it is compared with: from a loss of 100 to one of 50 is a change for the better, so it is +50 %.
    return difference if how == "difference" else quotient(difference, np.abs(other), absent)


def _difference(block: Block, other: npt.NDArray, absent: npt.NDArray[np.bool_]) -> Block:
    blank = block.blank | absent
    one, two = block.data, other
    if one.dtype.kind == "i" and (_large(one, 2) or (two.dtype.kind == "i" and _large(two, 2))):
        one, two = one.astype(object), two.astype(object)
    return replace(block, data=np.where(blank, 0, one - two), blank=blank)


def quotient(block: Block, other: npt.NDArray, absent: npt.NDArray[np.bool_]) -> Block:
    """Cells divided by others in the same units, as percentages; blank over blank or zero."""
    blank = block.blank | absent | (other == 0)
    below = np.where(blank, 1, other)
    if object in (block.data.dtype, below.dtype):
        shares = np.array(
            [float(one / two) if two else 0.0 for one, two in zip(block.data.flat, below.flat, strict=True)]
        ).reshape(below.shape)
    else:
        shares = block.data / below
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
    return Block(FieldType.REAL, block.data.astype(np.float64) / 10.0**block.scale, block.blank)


def _scaled(block: Block, scale: int) -> Block:
    if block.scale == scale:
        return block
    factor = 10 ** (scale - block.scale)
    data = block.data.astype(object) if _large(block.data, factor) else block.data
    return Block(FieldType.DECIMAL, data * factor, block.blank, scale)


def _large(data: npt.NDArray, times: int) -> bool:
    """Whether so many times the largest value would pass 64 bits."""
    return bool(data.size) and data.dtype.kind == "i" and int(np.abs(data).max()) > (1 << 62) // max(1, times)
