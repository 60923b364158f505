"""Copying cells of a report: as text with tabs, and as an HTML table."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QMimeData
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QApplication

from foldbasket.desktop.desk import Desk
from foldbasket.desktop.grid.selection import Cells
from foldbasket.errors import OutputError
from foldbasket.folding.report.report import Report
from foldbasket.outputs import html, text

MOST_CELLS = 1_000_000


class _Copied(QMimeData):
    """What was copied, handed over when it is pasted: a large report as Qt's own text takes half a second to make."""

    def __init__(self, plain: str, as_html: str) -> None:
        super().__init__()
        self._held = {"text/plain": plain, "text/html": as_html} if as_html else {"text/plain": plain}

    def formats(self) -> list[str]:
        return list(self._held)

    def hasFormat(self, kind: str | None) -> bool:
        return kind in self._held

    def retrieveData(self, kind: str | None, _: Any) -> Any:
        return self._held.get(kind or "")


def copy_cells(desk: Desk, report: Report, cells: Cells | None) -> None:
    """Copies the selected cells of a report; all of it, with headings, where none or all are selected."""
    if cells is None or (len(cells[0]), len(cells[1])) == (report.height, report.width):
        if report.height * report.width > MOST_CELLS:
            todo = "Write it to a file instead."
            desk.failed.emit(OutputError("the report is too large for the clipboard.", todo=todo))
            return
        desk.output.copy(report.height * report.width, lambda: (text.table(report), html.table(report)))
        return
    rows, columns = cells
    desk.output.copy(
        len(rows) * len(columns),
        lambda: (text.block(report, rows, columns), html.block(report, rows, columns)),
    )


def put_on_clipboard(plain: str, as_html: str) -> None:
    """Puts what was copied on the clipboard."""
    clipboard = QApplication.clipboard()
    if clipboard is not None:
        clipboard.setMimeData(_Copied(plain, as_html))


def put_picture(desk: Desk, image: QImage) -> None:
    """Puts a picture of the report on the clipboard."""
    clipboard = QApplication.clipboard()
    if clipboard is not None:
        clipboard.setImage(image)
        desk.news.emit("A picture of the report is on the clipboard.")
