"""The cells of a chart in the report that it is drawn of: by the members on their lines, since a chart's own report has every total."""

from __future__ import annotations

import numpy as np

from foldbasket.folding.lines.axis import Axis
from foldbasket.folding.report.report import Report


def _line(axis: Axis, other: Axis, line: int) -> int | None:
    """The line of an axis that names the same members as one of another; None where there is none."""
    level = int(other.level[line])
    if level > axis.depth:
        return None
    alike = axis.level == level
    for place, (own, theirs) in enumerate(zip(axis.heads[:level], other.heads, strict=False)):
        code = int(other.codes[line, place])
        same = code if own.domain is theirs.domain or code < 0 else own.domain.code_named(theirs.domain.token(code))
        if same is None:
            return None
        alike &= axis.codes[:, place] == same
    found = np.flatnonzero(alike)
    return int(found[-1]) if len(found) else None


def cell_in(report: Report, other: Report, cell: tuple[int, int, int]) -> tuple[int, int] | None:
    """The row and column of a report that say what a measure on two lines of another says; None where it does not show them."""
    measure, row, line = cell
    at = report.measure_at(other.measures[measure].id)
    one = _line(report.rows, other.rows, row)
    two = _line(report.columns, other.columns, line)
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
    one = _line(other.rows, report.rows, line)
    two = _line(other.columns, report.columns, across)
    return (at, one, two) if at is not None and one is not None and two is not None else None
