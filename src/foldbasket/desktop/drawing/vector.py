"""A report as one drawing, SVG: all of it, with its text as text."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QBuffer, QRectF, QSize
from PyQt6.QtGui import QPainter
from PyQt6.QtSvg import QSvgGenerator

from foldbasket.desktop.drawing import drawn
from foldbasket.desktop.drawing.picture import MOST_PIXELS
from foldbasket.desktop.grid.geometry import Geometry
from foldbasket.desktop.grid.painter import GridPainter
from foldbasket.desktop.widgets import theme
from foldbasket.errors import OutputError
from foldbasket.folding.report.report import Report
from foldbasket.outputs.charted import save_chart


def save(report: Report, path: Path, shape: str = "table") -> None:
    """Writes the drawing. Raises OutputError where the report is too large for one."""
    if shape == "chart":
        save_chart(report, path, "svg")
        return
    drawn(path, lambda into: _draw(report, into))


def _draw(report: Report, into: QBuffer) -> None:
    geometry = Geometry(report, tabular=False)
    width = geometry.heads_width + geometry.size[0] + geometry.left
    height = geometry.head_height + geometry.size[1] + geometry.foot_height + geometry.left
    if 4 * width * height > MOST_PIXELS:
        raise OutputError(
            "the report is too large for one drawing.", where=report.name, todo="Write it as PDF or XLSX."
        )
    made = QSvgGenerator()
    made.setOutputDevice(into)
    made.setSize(QSize(int(width), int(height)))
    made.setViewBox(QRectF(0, 0, width, height))
    made.setTitle(report.title or report.name)
    made.setDescription(report.sentence)
    painter = QPainter(made)
    GridPainter(geometry, theme.LIGHT).paint(painter, width, height)
    painter.end()
