"""The pages of several reports, one behind the other under one numbering: one for each member of a field."""

from __future__ import annotations

from bisect import bisect_right
from functools import cached_property

import msgspec
from PyQt6.QtCore import QSizeF
from PyQt6.QtGui import QPagedPaintDevice, QPageLayout, QPainter

from foldbasket.desktop.drawing.pages import DPI, Pages, Sheet, page_of
from foldbasket.desktop.drawing.readable import ReadBack
from foldbasket.errors import OutputError
from foldbasket.folding.report.report import Report
from foldbasket.paging.each import for_each
from foldbasket.spec.page import Page, Way
from foldbasket.tables.progress import Progress

MOST = 1_000
"""Reports of more members than that are better written to a file each."""


class Book:
    """Drawn like the `Pages` of one report. All of them lie the way that the report of all members does, at sizes of their own."""

    def __init__(self, report: Report, page: Page, progress: Progress | None = None) -> None:
        self.report, self.page, self._progress = report, page, progress

    @cached_property
    def whole(self) -> Pages:
        """The pages of all members together, which are not drawn: they say how the paper lies."""
        return Pages(self.report, msgspec.structs.replace(self.page, each=None), self._progress)

    @cached_property
    def parts(self) -> list[tuple[str, Pages]]:
        """Each member with its pages. Raises FoldBasketError where there are none, or too many."""
        origin, each = self.report.origin, self.page.each
        assert origin is not None
        assert each is not None
        way = Way.SIDEWAYS if self.whole.sideways else Way.UPRIGHT
        page = msgspec.structs.replace(self.page, each=None, way=way)
        asked = list(for_each(origin.fold, origin.again, each))
        if not asked or len(asked) > MOST:
            many = f"{len(asked):,} members, of which {MOST:,} can stand in one file" if asked else "no member"
            raise OutputError(
                f"“{each.field.field}” has {many}.", where=self.report.name,
                todo="Write a file for each member, or take another field." if asked else "Take another field.",
            )  # fmt: skip
        found = []
        for fold, member in asked:
            made = msgspec.structs.replace(origin.again(fold), look=fold.look, style=self.report.style)
            whole = made.of(msgspec.structs.replace(fold, page=page), origin.file)
            found.append((member, Pages(whole, page, self._progress)))
        return found

    @cached_property
    def starts(self) -> list[int]:
        """The number of the first page of each part, and of all pages. Raises OutputError where the paper is too small."""
        found = [0]
        for _, pages in self.parts:
            found.append(found[-1] + len(pages))
        return found

    @property
    def read_back(self) -> ReadBack:
        """What is to be known to read back the text of these pages from a PDF."""
        return self.whole.read_back

    @property
    def size(self) -> QSizeF:
        """The size of the paper in pixels."""
        return self.whole.size

    @property
    def layout(self) -> QPageLayout:
        """The paper as Qt names it."""
        return self.whole.layout

    @cached_property
    def sheets(self) -> list[Sheet]:
        """Every page."""
        return [sheet for _, pages in self.parts for sheet in pages.sheets]

    def __len__(self) -> int:
        return self.starts[-1]

    def ready(self) -> Book:
        """The pages with all that takes long worked out. Raises FoldBasketError."""
        for _, pages in self.parts:
            pages.ready()
        return self

    def _at(self, number: int) -> int:
        return bisect_right(self.starts, number) - 1

    def group(self, number: int) -> str:
        """The member that a page is of, and its group where pages begin with those."""
        member, pages = self.parts[self._at(number)]
        group = pages.group(number - self.starts[self._at(number)])
        return f"{member} · {group}" if group else member

    def draw(self, painter: QPainter, number: int) -> None:
        """Draws a page, its upper left corner at the painter's origin."""
        at = self._at(number)
        self.parts[at][1].draw(painter, number - self.starts[at], (self.starts[at], len(self)), self.group(number))


def pages_of(report: Report, page: Page | None = None, progress: Progress | None = None) -> Pages | Book:
    """What prints of a report: its pages, or those of one report for each member of a field; `progress` can be cancelled while it is made."""
    page = page if page is not None else page_of(report)
    if page.each is None or report.origin is None:
        return Pages(report, page, progress)
    return Book(report, page, progress)


def print_on(device: QPagedPaintDevice, pages: Pages | Book, first: int = 0, last: int | None = None) -> None:
    """Draws pages on a printer or into a PDF. Raises OutputError where it cannot be drawn on."""
    pages.sheets  # noqa: B018 - what is wrong with the paper is told before anything is drawn
    painter = QPainter()
    if not painter.begin(device):
        raise OutputError(
            "no pages could be drawn.", where=pages.report.name, todo="Choose another printer, or write PDF."
        )
    try:
        scale = device.logicalDpiX() / DPI
        painter.scale(scale, scale)
        for number in range(first, len(pages) if last is None else min(last, len(pages))):
            if number > first:
                device.newPage()
            pages.draw(painter, number)
    finally:
        painter.end()
