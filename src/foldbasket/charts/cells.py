"""The cells of a chart in the report that it is drawn of: by the members on their lines, since a chart's own report has every total."""

from __future__ import annotations

from weakref import WeakKeyDictionary

import numpy as np

from foldbasket.folding.lines.axis import Axis
from foldbasket.folding.report.report import Report

Path = tuple[str, ...]
_known: WeakKeyDictionary[Axis, dict[Path, int]] = WeakKeyDictionary()


def path_of(axis: Axis, line: int) -> Path:
    """The members that a line names, from the outermost."""
    return tuple(axis.token(line, at) for at in range(int(axis.level[line])))


def _lines(axis: Axis) -> dict[Path, int]:
    found = _known.get(axis)
    if found is None:
        found = _known[axis] = {path_of(axis, line): line for line in range(len(axis))}
    return found


def cell_in(report: Report, other: Report, cell: tuple[int, int, int]) -> tuple[int, int] | None:
    """The row and column of a report that say what a measure on two lines of another says; None where it does not show them."""
    measure, row, line = cell
    at = report.measure_at(other.measures[measure].id)
    one = _lines(report.rows).get(path_of(other.rows, row))
    two = _lines(report.columns).get(path_of(other.columns, line))
    if at is None or one is None or two is None:
        return None
    left, top = report.left, report.top
    rows = np.flatnonzero((left.line == one) & ((left.measure == at) if report.on_rows else True))
    columns = np.flatnonzero((top.line == two) & (True if report.on_rows else (top.measure == at)))
    return (int(rows[0]), int(columns[0])) if len(rows) and len(columns) else None


def cell_of(other: Report, report: Report, row: int, column: int) -> tuple[int, int, int] | None:
    """The measure and lines of a chart's report that a cell of the report in view is; None where the chart has none."""
    measure, line, across = report.cell(row, column)
    at = other.measure_at(report.measures[measure].id)
    one = _lines(other.rows).get(path_of(report.rows, line))
    two = _lines(other.columns).get(path_of(report.columns, across))
    return (at, one, two) if at is not None and one is not None and two is not None else None
