"""A report as PDF: its pages, and what a reader's program shows of them: title, language, and the groups to jump to."""

from __future__ import annotations

import io
from bisect import bisect_right
from pathlib import Path
from typing import NamedTuple

from PyQt6.QtCore import QBuffer, QIODevice
from PyQt6.QtGui import QPagedPaintDevice, QPdfWriter
from PyQt6.QtPrintSupport import QPrinter

from foldbasket.desktop.drawing import drawn
from foldbasket.desktop.drawing.book import Book, pages_of, print_on
from foldbasket.desktop.drawing.pages import DPI, Pages
from foldbasket.desktop.drawing.readable import told
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
    writer.setPdfVersion(QPagedPaintDevice.PdfVersion.PdfVersion_A1b)
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


def print_out(printer: QPrinter, pages: Pages | Book, first: int = 0, last: int | None = None) -> None:
    """Prints pages from one to before another. What a printer's dialog sends to a PDF can be searched as well. Raises OutputError."""
    print_on(printer, pages, first, last)
    if printer.outputFormat() is QPrinter.OutputFormat.PdfFormat and printer.outputFileName():
        path = Path(printer.outputFileName())
        path.write_bytes(_described(path.read_bytes(), pages, outlined=False))


def _described(plain: bytes, pages: Pages | Book, *, outlined: bool = True) -> bytes:
    """The PDF with what Qt does not write: its language, its outline, and what its glyphs mean. Its pages stay as they were drawn."""
    import pikepdf

    with pikepdf.open(io.BytesIO(plain)) as made:
        made.Root.Lang = pikepdf.String(LANGUAGE)
        for each in made.objects:
            if isinstance(each, pikepdf.Dictionary) and "/ToUnicode" in each:
                each.ToUnicode.write(told(each.ToUnicode.read_bytes(), pages.read_back.signs))
        if outlined and len(pages) > 1:
            with made.open_outline() as listed:
                above: list[pikepdf.OutlineItem] = []
                for depth, name, number in entries(pages):
                    del above[depth:]
                    item = pikepdf.OutlineItem(name, number)
                    (above[-1].children if above else listed.root).append(item)
                    above.append(item)
            made.Root.PageMode = pikepdf.Name.UseOutlines if above else pikepdf.Name.UseNone
        written = io.BytesIO()
        # Tables and streams as PDF 1.4 has them, which PDF/A-1 asks for.
        made.save(
            written,
            object_stream_mode=pikepdf.ObjectStreamMode.disable,
            compress_streams=False,
            stream_decode_level=pikepdf.StreamDecodeLevel.none,
        )
    return written.getvalue()
