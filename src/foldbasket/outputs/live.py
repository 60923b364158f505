"""Totals as sums that a spreadsheet works out: which cells add up to a total, and how that is written.

A total becomes a sum only where its measure adds up over members at all and where adding the cells shown gives exactly the total: not
where members are left out of the report, nor where one record stands under several members. Every other total stays a number.
"""

from __future__ import annotations

from collections.abc import Iterator
from functools import cached_property

import numpy as np
import numpy.typing as npt

from foldbasket.folding.lines.axis import Axis, Kind
from foldbasket.folding.report.margins import Margin
from foldbasket.folding.report.report import Report
from foldbasket.folding.states.aggregates.aggregate import Block
from foldbasket.later import xlsxwriting
from foldbasket.tables.distinct import numbered_rows
from foldbasket.tables.types import FieldType

Lines = npt.NDArray[np.int64]
Mask = npt.NDArray[np.bool_]
MOST_PARTS = 250
"""A sum takes 255 ranges; a total of more is written as a number."""
NEAR = 1e-12
"""How near sums of reals are, which the order of adding changes."""


class LiveSums:
    """The sums of a report whose first cell stands at a row and a column of the sheet (both from 0)."""

    def __init__(self, report: Report, first: tuple[int, int]) -> None:
        self.report, self._first = report, first
        self._known: dict[tuple[int, int, int], Mask] = {}
        self._placed: dict[tuple[int, int, int], list[tuple[int, int]]] = {}

    def formula(self, row: int, column: int) -> str | None:
        """The sum of a total's cell, as “=SUM(C5:C9)”; None where it is to be a number."""
        report = self.report
        measure, line, across = report.cell(row, column)
        if not report.measures[measure].is_additive:
            return None
        top, left = self._first
        down = self._down.get(line)
        if down is not None and self._adds(0, measure, line)[across]:
            parts = self._places(0, line, measure)
            if len(parts) <= MOST_PARTS:
                return _sum(
                    xlsxwriting.xl_range(top + start, left + column, top + stop, left + column) for start, stop in parts
                )
        right = self._across.get(across)
        if right is not None and self._adds(1, measure, across)[line]:
            parts = self._places(1, across, measure)
            if len(parts) <= MOST_PARTS:
                return _sum(
                    xlsxwriting.xl_range(top + row, left + start, top + row, left + stop) for start, stop in parts
                )
        return None

    @cached_property
    def _down(self) -> dict[int, Lines]:
        return dict(_parts(self.report.rows))

    @cached_property
    def _across(self) -> dict[int, Lines]:
        return dict(_parts(self.report.columns))

    def _adds(self, axis: int, measure: int, line: int) -> Mask:
        """On which lines of the other axis the parts of a total add up to it exactly."""
        known = self._known.get((axis, measure, line))
        if known is None:
            parts = (self._down, self._across)[axis][line]
            known = self._known[axis, measure, line] = _add_up(self.report.blocks[measure], axis, line, parts)
        return known

    def _places(self, axis: int, line: int, measure: int) -> list[tuple[int, int]]:
        """Where the parts of a total stand in the report, as first and last of what is side by side."""
        found = self._placed.get((axis, line, measure))
        if found is None:
            margin, lines = ((self.report.left, self._down), (self.report.top, self._across))[axis]
            found = self._placed[axis, line, measure] = _ranges(margin, lines[line], measure)
        return found


def _ranges(margin: Margin, lines: Lines, measure: int) -> list[tuple[int, int]]:
    shown = np.isin(margin.line, lines) & ((margin.measure < 0) | (margin.measure == measure))
    places = np.flatnonzero(shown)
    ends = np.flatnonzero(np.diff(places) > 1)
    starts = places[np.concatenate(([0], ends + 1))]
    stops = places[np.concatenate((ends, [len(places) - 1]))]
    return list(zip(starts.tolist(), stops.tolist(), strict=True))


def _sum(ranges: Iterator[str]) -> str:
    return f"=SUM({','.join(ranges)})"


def _parts(axis: Axis) -> Iterator[tuple[int, Lines]]:
    """For each total the lines that are its parts: those one level further in where each of them has a line, else the members."""
    members = (axis.kind == Kind.MEMBER) | (axis.kind == Kind.CLOSED)
    for level in range(axis.depth):
        groups, inner = _groups(axis, level), _groups(axis, level + 1)
        totals = np.flatnonzero((axis.level == level) & ~members)
        for total in totals.tolist():
            within = np.flatnonzero((groups == groups[total]) & (axis.level > level))
            heads = within[axis.level[within] == level + 1]
            every = len(np.unique(inner[heads])) == len(np.unique(inner[within])) == len(heads)
            parts = heads if every else within[members[within]]
            if len(parts):
                yield total, parts


def _groups(axis: Axis, level: int) -> Lines:
    """A number for the members that each line names down to a level."""
    if not level:
        return np.zeros(len(axis), np.int64)
    return numbered_rows(axis.codes[:, :level])[1]


def _add_up(block: Block, axis: int, line: int, parts: Lines) -> Mask:
    data = np.where(block.blank, 0, block.data)
    blank = np.take(block.blank, line, axis)
    if block.type is FieldType.REAL:
        values = data.astype(np.float64)
        added, total = np.take(values, parts, axis).sum(axis=axis), np.take(values, line, axis)
        return ~blank & np.isclose(added, total, rtol=NEAR, atol=0)
    values = np.take(data, parts, axis).astype(object)  # whole numbers of any size
    return ~blank & (values.sum(axis=axis) == np.take(data, line, axis).astype(object)).astype(np.bool_)
