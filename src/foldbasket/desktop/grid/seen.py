"""What of a report is in view: how far headings and cells are scrolled, what lies under a point, and how to bring a cell into view."""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF

from foldbasket.desktop.grid.geometry import TOP, Geometry
from foldbasket.folding.report.margins import Margin

MOST_FROZEN = 0.75
"""Headings of rows that take more of the view than that scroll with the cells, which would else have no room."""


@dataclass(frozen=True, eq=False)
class View:
    """A geometry in a viewport of a size, scrolled so far across and down, all in pixels."""

    at: Geometry
    width: float
    height: float
    across: float
    y: float

    @property
    def is_frozen(self) -> bool:
        """Whether the headings of the rows stay in place; not where they leave the cells no room."""
        return self.at.report.look.layout.frozen and self.at.heads_width <= MOST_FROZEN * max(self.width, 1.0)

    @property
    def drift(self) -> float:
        """How far the headings of the rows have gone to the left."""
        return 0.0 if self.is_frozen else min(self.across, self.at.heads_width)

    @property
    def x(self) -> float:
        """How far the cells have gone under the headings."""
        return self.across - self.drift

    def on_report(self, point: QPointF) -> QPointF:
        """A point of the viewport as it would be with the headings of the rows in their place."""
        return QPointF(point.x() + self.drift, point.y())

    def cell_at(self, point: QPointF) -> tuple[int, int] | None:
        """Row and column of the cell under a point, or None."""
        at, point = self.at, self.on_report(point)
        if point.x() < at.heads_width or point.y() < at.head_height:
            return None
        x = point.x() - at.heads_width + self.x
        y = point.y() - at.head_height + self.y
        columns, lines = at.columns_within(x, x + 0.5), at.lines_within(y, y + 0.5)
        return (lines[0], columns[0]) if len(columns) and len(lines) and x < at.size[0] and y < at.size[1] else None

    def area_of(self, row: int, column: int) -> QRectF:
        """Where a cell stands."""
        at = self.at
        left = at.heads_width + float(at.column_edges[column]) - self.across
        top = at.head_height + float(at.line_tops[row]) - self.y
        wide = float(at.column_edges[column + 1] - at.column_edges[column])
        return QRectF(left, top, wide, float(at.line_heights[row]))

    def margin_at(self, point: QPointF) -> tuple[Margin, int | None, int] | None:
        """The margin under a point, which of its rows or columns (None on a field's own heading), and the place there."""
        at, report, point = self.at, self.at.report, self.on_report(point)
        if point.x() < at.heads_width:
            row = self._row_at(point) if point.y() >= at.head_height else None
            margin, edge = report.left, at.left
            along, sizes = point.x(), at.head_widths
        elif point.y() < at.head_height:
            x = point.x() - at.heads_width + self.x
            columns = at.columns_within(x, x + 0.5)
            margin, row, edge = report.top, columns[0] if len(columns) else None, at.scaled(TOP)
            along, sizes = point.y(), at.head_heights
        else:
            return None
        for place, size in enumerate(sizes[: len(margin.places)]):
            if edge <= along < edge + size:
                in_one = margin is report.left and at.sheet.indented
                return margin, row, max(0, int(margin.level[row]) - 1) if in_one and row is not None else place
            edge += size
        return None

    def _row_at(self, point: QPointF) -> int | None:
        y = point.y() - self.at.head_height + self.y
        lines = self.at.lines_within(y, y + 0.5)
        return lines[0] if len(lines) and 0 <= y < self.at.size[1] else None

    def bringing(self, row: int, column: int) -> tuple[int, int]:
        """How far to scroll across and down so that a cell is in view; no further than it takes. Where no measure is chosen a row
        has no cells, and is in view all the same."""
        at = self.at
        before = 0.0 if self.is_frozen else at.heads_width
        left, right = (
            before + float(each) for each in at.column_edges[[column, min(column + 1, len(at.column_edges) - 1)]]
        )
        top, bottom = float(at.line_tops[row]), float(at.line_tops[row] + at.line_heights[row])
        return (
            _reaching(left, right, self.across, self.width - at.heads_width + before),
            _reaching(top, bottom, self.y, self.height - at.head_height),
        )


def _reaching(start: float, stop: float, now: float, room: float) -> int:
    if start < now:
        return int(start)
    return int(stop - room) + 1 if stop > now + room else int(now)
