"""Order from a heading: the small arrow that stands in it, what it orders by, and what a click on it does."""

from __future__ import annotations

from dataclasses import dataclass, field

from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QColor, QPainter, QPen

from foldbasket.desktop.desk import Desk
from foldbasket.desktop.grid.geometry import EDGE
from foldbasket.desktop.grid.seen import View
from foldbasket.desktop.widgets import theme
from foldbasket.folding.report.margins import MEASURE, Margin
from foldbasket.folding.report.report import Report
from foldbasket.sentence.phrases import placed_heading
from foldbasket.spec.order import ByValue

WIDE = 14


@dataclass(frozen=True)
class Ordering:
    """An order that a heading stands for: of the fields of the other axis by a measure in its line, or of one `field` by label."""

    words: tuple[str, ...]
    by: ByValue | None
    area: QRectF = field(default_factory=QRectF)


def line_order(report: Report, margin: Margin, at: int, measure: int) -> ByValue | None:
    """The order by a measure in a row or column of a margin; None where that is of what has no member, or of what is gathered."""
    line = int(margin.line[at])
    among = [margin.axis.key(line, level) for level in range(int(margin.level[at]))]
    named = tuple(key for key in among if key is not None)
    return ByValue(report.measures[measure].id, named) if len(named) == len(among) else None


def order_of_cell(report: Report, row: int, column: int, *, rows: bool) -> Ordering | None:
    """The order of the rows by a cell's column, or of the columns by its row; None where there is nothing to order, or nothing to order by."""
    margin, across, at = (report.left, report.top, column) if rows else (report.top, report.left, row)
    if not margin.axis.depth or not report.measures:
        return None
    by = line_order(report, across, at, report.cell(row, column)[0])
    return Ordering(tuple(head.id for head in margin.axis.heads), by) if by is not None else None


def orders_in_view(seen: View) -> list[Ordering]:
    """One for each heading in view: of columns, whose numbers the rows can stand by, and of row fields."""
    at, report = seen.at, seen.at.report
    made, left = [], at.left + EDGE
    high = at.head_heights[-1] if at.head_heights else 0.0
    top = at.head_height - high
    for place, wide in enumerate(at.head_widths):
        number = report.left.places[place] if place < len(report.left.places) else MEASURE
        if number != MEASURE and not at.sheet.indented:
            area = QRectF(left + wide - WIDE - seen.drift, top, WIDE, high)
            made.append(Ordering((report.rows.heads[number].id,), None, area))
        left += wide
    if not report.rows.depth or not report.measures:
        return made
    words = tuple(head.id for head in report.rows.heads)
    for column in at.columns_within(seen.x, seen.x + seen.width - at.heads_width):
        start = at.heads_width + float(at.column_edges[column]) - seen.x - seen.drift
        by = line_order(report, report.top, column, max(0, int(report.top.measure[column])))
        if by is not None and start + 2 >= at.heads_width - seen.drift:
            made.append(Ordering(words, by, QRectF(start + 2, top, WIDE, high)))
    return made


def order_at(seen: View, point: QPointF) -> Ordering | None:
    """The order whose arrow stands under a point."""
    if not seen.at.head_height - (seen.at.head_heights or [0.0])[-1] <= point.y() < seen.at.head_height:
        return None
    return next((each for each in orders_in_view(seen) if each.area.contains(point)), None)


def _state(report: Report, ordering: Ordering) -> bool | None:
    """Whether a heading's order holds and the largest come first (True) or the smallest (False); None where it does not hold."""
    fold = report.origin.fold if report.origin is not None else None
    placed = next((each for each in fold.rows if each.id == ordering.words[-1]), None) if fold is not None else None
    if placed is None or placed.by != ordering.by:
        return None
    return placed.descending if placed.by is not None or placed.descending else None


def act(desk: Desk, ordering: Ordering) -> None:
    """Orders as a heading stands for; once more turns it round, and a third time orders by label again."""
    if ordering.by is not None:
        desk.members.sort(ordering.words, ordering.by)
        return
    placed = desk.members.placed(ordering.words[0])
    if placed is not None:
        turned = not placed.descending if placed.by is None else False
        done = f"Order {placed_heading(placed)} {'the other way round' if turned else 'by label'}"
        desk.words.change(placed.id, done, by=None, descending=turned)


def draw(painter: QPainter, seen: View, over: Ordering | None) -> None:
    """Draws the arrows of orders that hold, and a faint one under the pointer."""
    colours, report = theme.palette(), seen.at.report
    for each in orders_in_view(seen):
        state = _state(report, each)
        is_over = over is not None and over.area == each.area
        if state is None and not is_over:
            continue
        if is_over:
            painter.fillRect(each.area.adjusted(1, 4, -1, -4), QColor(colours.selection))
        painter.setPen(QPen(QColor(colours.rows if state is not None else colours.muted), 1.4))
        middle, turn = each.area.center(), 1 if state is not False else -1  # down: the largest stand first
        tip = middle + QPointF(0, 4 * turn)
        painter.drawLine(middle - QPointF(0, 4 * turn), tip)
        for side in (-3, 3):
            painter.drawLine(tip, tip + QPointF(side, -3 * turn))
