"""A report as one picture, PNG: all of it, at twice the screen's size."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QBuffer
from PyQt6.QtGui import QImage

from foldbasket.desktop.drawing import drawn
from foldbasket.desktop.grid.geometry import Geometry
from foldbasket.desktop.grid.painter import picture
from foldbasket.errors import OutputError
from foldbasket.folding.report.report import Report
from foldbasket.outputs.charted import save_chart

MOST_PIXELS = 200_000_000


def save(report: Report, path: Path, shape: str = "table") -> None:
    """Writes the picture. Raises OutputError where the report is too large for one."""
    if shape == "chart":
        save_chart(report, path, "png")
        return
    drawn(path, lambda into: _draw(report, into))


def fits(geometry: Geometry) -> bool:
    """Whether a report is small enough for one picture."""
    width, height = geometry.heads_width + geometry.size[0], geometry.head_height + geometry.size[1]
    return 4 * width * height <= MOST_PIXELS


def whole(report: Report, *, where: str = "", todo: str) -> QImage:
    """All of a report as an image. Raises OutputError where it is too large for one; `todo` says what to do then."""
    geometry = Geometry(report)
    if not fits(geometry):
        raise OutputError("the report is too large for one picture.", where=where, todo=todo)
    return picture(geometry, 2.0)


def _draw(report: Report, into: QBuffer) -> None:
    if not whole(report, where=report.name, todo="Write it as PDF or XLSX.").save(into, "PNG"):
        raise OutputError("no picture could be made.", where=report.name, todo="Write it as PDF or XLSX.")
