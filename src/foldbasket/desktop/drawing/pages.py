"""A report as pages, PDF: A4 sideways, headings on every page."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QBuffer, QMarginsF, QRectF, QSizeF, Qt
from PyQt6.QtGui import QColor, QFont, QFontMetricsF, QPageLayout, QPageSize, QPainter, QPdfWriter

from foldbasket.desktop.drawing import drawn
from foldbasket.desktop.grid.geometry import Geometry
from foldbasket.desktop.grid.painter import GridPainter
from foldbasket.desktop.widgets import theme
from foldbasket.errors import OutputError
from foldbasket.folding.report.report import Report
from foldbasket.outputs.charted import save_chart

SMALLEST_ZOOM = 0.55
MARGIN, FOOT = 40, 26


def save(report: Report, path: Path, shape: str = "table") -> None:
    """Writes the pages."""
    if shape == "chart":
        save_chart(report, path, "pdf")
        return
    drawn(path, lambda into: _draw(report, into))


def _draw(report: Report, into: QBuffer) -> None:
    writer = QPdfWriter(into)
    writer.setPageLayout(
        QPageLayout(QPageSize(QPageSize.PageSizeId.A4), QPageLayout.Orientation.Landscape, QMarginsF(0, 0, 0, 0))
    )
    writer.setResolution(96)
    writer.setTitle(report.title or report.name)
    writer.setCreator("Fold Basket")
    page = QSizeF(writer.width(), writer.height())
    room = page.width() - 2 * MARGIN
    zoom = 1.0
    geometry = Geometry(report, zoom, tabular=False)
    while zoom > SMALLEST_ZOOM and geometry.heads_width + geometry.size[0] > room:
        zoom -= 0.05
        geometry = Geometry(report, zoom, tabular=False)
    strips = _cut(geometry.column_edges.tolist(), max(room - geometry.heads_width, geometry.scaled(60)))
    painter = QPainter()
    if not painter.begin(writer):
        raise OutputError("no pages could be drawn.", where=report.name, todo="Write it as XLSX.")
    title_height = _title(painter, report, QRectF(MARGIN, MARGIN, room, page.height()), draw=False)
    body = page.height() - 2 * MARGIN - FOOT
    bands = _cut(geometry.line_tops.tolist(), body - geometry.head_height - title_height, body - geometry.head_height)
    drawing = GridPainter(geometry, theme.LIGHT, "#FFFFFF")
    number, pages = 0, len(bands) * len(strips)
    for band_start, band_stop in bands:
        for strip_start, strip_stop in strips:
            if number:
                writer.newPage()
            top = float(MARGIN)
            if number == 0:
                top += _title(painter, report, QRectF(MARGIN, MARGIN, room, page.height()), draw=True)
            number += 1
            width = geometry.heads_width + float(geometry.column_edges[strip_stop] - geometry.column_edges[strip_start])
            height = geometry.head_height + float(geometry.line_tops[band_stop] - geometry.line_tops[band_start])
            painter.save()
            painter.translate(MARGIN - geometry.left, top)
            painter.setClipRect(QRectF(0, 0, width, height + 3))
            drawing.paint(
                painter, width, height, float(geometry.column_edges[strip_start]), float(geometry.line_tops[band_start])
            )
            painter.restore()
            if geometry.foot and (band_stop, strip_stop) == (bands[-1][1], strips[-1][1]):
                _legend(painter, drawing, geometry, top + height, page)
            _foot(painter, report, number, pages, page)
    painter.end()


def _legend(painter: QPainter, drawing: GridPainter, geometry: Geometry, top: float, page: QSizeF) -> None:
    """Legend and notes under the last part of the report, where there is room for them above the foot of the page."""
    if top + geometry.foot_height <= page.height() - MARGIN - FOOT / 2:
        painter.save()
        painter.translate(MARGIN - geometry.left, 0)
        drawing.foot(painter, top)
        painter.restore()


def _cut(edges: list[float], first: float, later: float | None = None) -> list[tuple[int, int]]:
    """Runs of lines or columns that fit a length, the first run perhaps another; at least one each."""
    runs, start, room = [], 0, first
    for at in range(1, len(edges)):
        if edges[at] - edges[start] > room and at - 1 > start:
            runs.append((start, at - 1))
            start, room = at - 1, first if later is None else later
    runs.append((start, max(start, len(edges) - 1)))
    return runs


def _title(painter: QPainter, report: Report, area: QRectF, draw: bool) -> float:
    """Draws, or only measures, the report's name and sentence; the height they take."""
    name, said = theme.font(18, QFont.Weight.DemiBold), theme.font(11)
    flags = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop | Qt.TextFlag.TextWordWrap
    high = QFontMetricsF(name, painter.device()).height()
    sentence = QFontMetricsF(said, painter.device()).boundingRect(area, flags, report.subtitle)
    if draw:
        painter.setFont(name)
        painter.setPen(QColor(theme.LIGHT.ink))
        painter.drawText(area, flags, report.title)
        painter.setFont(said)
        painter.setPen(QColor(theme.LIGHT.muted))
        painter.drawText(area.adjusted(0, high + 4, 0, 0), flags, report.subtitle)
    return high + 4 + sentence.height() + 6


def _foot(painter: QPainter, report: Report, number: int, pages: int, page: QSizeF) -> None:
    area = QRectF(MARGIN, page.height() - MARGIN - 12, page.width() - 2 * MARGIN, 16)
    painter.setPen(QColor(theme.LIGHT.line))
    painter.drawLine(area.topLeft(), area.topRight())
    painter.setFont(theme.font(10))
    painter.setPen(QColor(theme.LIGHT.muted))
    text = area.adjusted(0, 4, 0, 6)
    painter.drawText(text, Qt.AlignmentFlag.AlignLeft, report.title or report.name)
    painter.drawText(text, Qt.AlignmentFlag.AlignRight, f"page {number} of {pages}")
