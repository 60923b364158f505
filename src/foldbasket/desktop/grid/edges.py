"""The edges of the grid, on which fields are dropped, and what stands in it while there is no report."""

from __future__ import annotations

from collections.abc import Mapping

from PyQt6.QtCore import QPointF, QRect, QRectF, Qt
from PyQt6.QtGui import QColor, QFont, QPainter

from foldbasket.desktop.desk import Desk
from foldbasket.desktop.grid.geometry import Geometry
from foldbasket.desktop.widgets import theme
from foldbasket.folding.report.report import Report

INVITATIONS = {
    "rows": "Drag a field here\nfor a row each",
    "columns": "Drag a field here for a column each",
    "measures": "Drag a number here to add it up,\nor double-click any field in the list at the left",
}


def areas(room: QRect, at: Geometry | None) -> dict[str, QRectF]:
    """The parts of a view that take a dropped field, by the strand that receives it; `at` is where its report stands."""
    area = QRectF(room).adjusted(14, 8, -14, -14)
    left = max(150.0, min(at.heads_width, area.width() / 2)) if at is not None else 190.0
    top = max(58.0, at.head_height) if at is not None else 64.0
    return {
        "columns": QRectF(area.left() + left, area.top(), area.width() - left, top),
        "rows": QRectF(area.left(), area.top() + top, left, area.height() - top),
        "measures": QRectF(area.left() + left, area.top() + top, area.width() - left, area.height() - top),
    }


def strand_at(edges: Mapping[str, QRectF], point: QPointF) -> str:
    """The strand that a drop at a point goes to."""
    if point.x() < edges["measures"].left():
        return "rows"
    return "columns" if point.y() < edges["measures"].top() else "measures"


def invite(painter: QPainter, edges: Mapping[str, QRectF]) -> None:
    """Draws an empty fold: its three edges, and how to fill them."""
    colours = theme.palette()
    for strand, area in edges.items():
        painter.setFont(theme.font())
        painter.setPen(colours.strand(strand))
        painter.drawText(area, Qt.AlignmentFlag.AlignCenter, INVITATIONS[strand])
        _line(painter, strand, area)


def absence(painter: QPainter, room: QRect, desk: Desk, report: Report | None, edges: Mapping[str, QRectF]) -> None:
    """What stands where there is no report: why there is none, or how to begin one."""
    fold, problem = desk.fold, desk.problem
    if problem is not None:
        say(painter, room, problem.what[:1].upper() + problem.what[1:], problem.todo)
    elif desk.busy and fold is not None and not fold.is_empty:
        return
    elif report is not None:
        if any(each.kept for each in report.counted):
            say(painter, room, "No member is shown.", "Show more of them on the card of the field that picks some.")
        else:
            todo = "Keep more members, or take a filter out of the sentence."
            say(painter, room, "No record passes the filters.", todo)
    elif fold is not None and fold.is_empty:
        invite(painter, edges)


def light(painter: QPainter, edges: Mapping[str, QRectF], strand: str) -> None:
    """Tints the part that would take what is dragged over it."""
    tint = theme.palette().tint(strand)
    tint.setAlpha(150)
    painter.fillRect(edges[strand], tint)
    _line(painter, strand, edges[strand])


def say(painter: QPainter, room: QRect, what: str, todo: str = "", top: bool = False) -> None:
    """Writes a sentence into a view, and what to do; at its foot with `top`, over a report that has headings alone."""
    colours = theme.palette()
    area = QRectF(room).adjusted(40, 40, -40, -40)
    if top:
        area.setTop(area.bottom() - 40)
    flags = Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignTop | Qt.TextFlag.TextWordWrap
    painter.setPen(QColor(colours.ink))
    painter.setFont(theme.font(15, QFont.Weight.DemiBold))
    painter.drawText(area, flags, what)
    used = painter.boundingRect(area, flags, what)
    painter.setPen(QColor(colours.muted))
    painter.setFont(theme.font())
    painter.drawText(area.adjusted(0, used.height() + 8, 0, 0), flags, todo)


def _line(painter: QPainter, strand: str, area: QRectF) -> None:
    colour = theme.palette().strand(strand)
    if strand == "rows":
        theme.draw_stroke(painter, strand, area.topLeft() + QPointF(1, 0), area.bottomLeft() + QPointF(1, 0), colour)
    elif strand == "columns":
        theme.draw_stroke(painter, strand, area.topLeft() + QPointF(0, 1), area.topRight() + QPointF(0, 1), colour)
    else:
        theme.draw_stroke(
            painter, strand, area.bottomLeft() - QPointF(0, 2), area.bottomRight() - QPointF(0, 2), colour
        )
