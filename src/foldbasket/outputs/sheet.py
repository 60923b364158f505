"""A report as a sheet: which heading stands where and spans how much. What every tabular output lays out alike.

The sheet has head rows (one per column field, and one for measures where it is needed), head columns (one per row field),
and the report's cells. The grid on screen follows the same rules.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from foldbasket.folding.report import EVERYTHING, Kind, Report, plural


@dataclass(frozen=True)
class Span:
    """A heading over cells from `row`, `column` (both from 0, in the sheet's head) for `rows` by `columns`."""

    row: int
    column: int
    rows: int
    columns: int
    text: str
    kind: Kind = Kind.MEMBER


class Sheet:
    """The layout of a report's headings."""

    def __init__(self, report: Report) -> None:
        self.report = report
        self.head_columns = max(1, report.rows.depth)
        self.has_measure_row = len(report.measures) > 1 or report.columns.depth == 0
        self.head_rows = report.columns.depth + (1 if self.has_measure_row else 0)

    def corner(self) -> list[str]:
        """Headings of the row fields, which stand on the last head row."""
        return [head.heading for head in self.report.rows.heads] or [""]

    def column_heads(self) -> Iterator[Span]:
        """Every heading over the cells, level by level; columns count from the first cell."""
        report, axis = self.report, self.report.columns
        many = max(1, len(report.measures))
        for field in range(axis.depth):
            for start, stop in axis.runs(field):
                yield Span(field, start * many, 1, (stop - start) * many, axis.label(start, field))
        for line in range(len(axis)):
            kind = Kind(axis.kind[line])
            if kind is not Kind.MEMBER:
                level = int(axis.level[line])
                yield Span(level, line * many, axis.depth - level, many, self.column_caption(line), kind)
        if self.has_measure_row:
            for column in range(report.width):
                line, measure = report.slot(column)
                yield Span(axis.depth, column, 1, 1, report.measures[measure].heading, Kind(axis.kind[line]))

    def column_caption(self, line: int) -> str:
        """What a total column is called. It stands below its member's heading, so that need not be said again."""
        axis = self.report.columns
        level = int(axis.level[line])
        if axis.kind[line] == Kind.GRAND and axis.depth > 1:
            return EVERYTHING
        return f"All {plural(axis.heads[level].heading)}"

    def row_head(self, line: int, repeat: bool) -> list[str]:
        """The head columns of one line. With `repeat`, group names stand on every line; without, on the first of their run."""
        axis = self.report.rows
        if axis.depth == 0:
            return [EVERYTHING]
        texts = [""] * axis.depth
        level, kind = int(axis.level[line]), axis.kind[line]
        for field in range(level):
            is_new = repeat or line == 0 or axis.starts(field, line)
            texts[field] = axis.label(line, field) if is_new and (kind == Kind.MEMBER or repeat) else ""
        if kind != Kind.MEMBER:
            texts[level if level < axis.depth else level - 1] = axis.caption(line)
        return texts

    def head_grid(self) -> list[list[str]]:
        """The head rows as plain texts over all columns of the sheet, spans said once at their first cell."""
        grid = [[""] * (self.head_columns + self.report.width) for _ in range(self.head_rows)]
        for span in self.column_heads():
            grid[span.row][self.head_columns + span.column] = span.text
        grid[-1][: self.head_columns] = self.corner()
        return grid
