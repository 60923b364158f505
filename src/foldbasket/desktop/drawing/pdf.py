"""A report as PDF: its pages, and what a reader's program shows of them: title, language, and the groups to jump to."""

from __future__ import annotations

import io
from bisect import bisect_right
from pathlib import Path
from typing import NamedTuple

from PyQt6.QtCore import QBuffer, QIODevice
from PyQt6.QtGui import QPdfWriter

from foldbasket.desktop.drawing import drawn
from foldbasket.desktop.drawing.book import Book, pages_of, print_on
from foldbasket.desktop.drawing.pages import DPI, Pages
from foldbasket.folding.report.report import Report
from foldbasket.outputs.charted import save_chart
from foldbasket.paging.outline import outline

LANGUAGE = "en"
"""The language of the sentence and of what totals are called."""


def save(report: Report, path: Path, shape: str = "table") -> None:
    """Writes the pages as PDF."""
    if shape == "chart":
        save_chart(report, path, "pdf")
        return
    drawn(path, lambda into: _write(report, into))


def _write(report: Report, into: QBuffer) -> None:
    pages = pages_of(report)
    plain = QBuffer()
    plain.open(QIODevice.OpenModeFlag.WriteOnly)
    writer = QPdfWriter(plain)
    writer.setPageLayout(pages.layout)
    writer.setResolution(DPI)
    writer.setTitle(report.title or report.name)
    writer.setCreator("Fold Basket")
    print_on(writer, pages)
    into.write(_described(plain.data().data(), pages))


class Entry(NamedTuple):
    """A line of the outline: how deep it stands, its name, and the number of its page."""

    depth: int
    name: str
    page: int


def entries(pages: Pages | Book) -> list[Entry]:
    """The outline of some pages: their groups, under the members of which a report each was made."""
    if isinstance(pages, Pages):
        return _of_report(pages, 0, 0)
    found = []
    for start, (member, part) in zip(pages.starts, pages.parts, strict=False):
        found += [Entry(0, member, start), *(_of_report(part, 1, start) if len(part) > 1 else [])]
    return found


def _of_report(pages: Pages, depth: int, start: int) -> list[Entry]:
    # Pages beside each other have the same rows; a group is looked up on the first that shows it.
    starts: dict[int, int] = {}
    for number, sheet in enumerate(pages.sheets):
        if sheet.rows[0] < sheet.rows[1]:
            starts.setdefault(sheet.rows[0], number)
    rows = sorted(starts)
    return [
        Entry(depth + mark.depth, mark.name, start + starts[rows[bisect_right(rows, mark.row) - 1]])
        for mark in outline(pages.report)
    ]


def _described(plain: bytes, pages: Pages | Book) -> bytes:
    """The PDF with its language and its outline, which Qt does not write: added at its end, so that its pages stay as they were drawn."""
    from pypdf import PdfWriter
    from pypdf.generic import IndirectObject, NameObject, TextStringObject

    made = PdfWriter(io.BytesIO(plain), incremental=True)
    made.root_object[NameObject("/Lang")] = TextStringObject(LANGUAGE)
    if len(pages) > 1:
        above: list[IndirectObject] = []
        for depth, name, number in entries(pages):
            del above[depth:]
            above.append(made.add_outline_item(title=name, page_number=number, parent=above[-1] if above else None))
        made.page_mode = "/UseOutlines" if above else "/UseNone"
    written = io.BytesIO()
    made.write(written)
    return written.getvalue()
