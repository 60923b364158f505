"""Charts and pages: a chart of 2,000 points against bare matplotlib, the first page of a million lines, PDF of 500 pages against QPdfWriter."""

from __future__ import annotations

import io
import os
import time
import tracemalloc
from collections.abc import Iterator

import numpy as np
from PyQt6.QtCore import QBuffer, QIODevice, QMarginsF, QRectF, Qt
from PyQt6.QtGui import QImage, QPageLayout, QPageSize, QPainter, QPdfWriter
from PyQt6.QtWidgets import QApplication

from bench.reading import Memory
from bench.timing import Row, compare
from foldbasket.charts.figures import figures_of
from foldbasket.charts.kinds.lines import Lines
from foldbasket.charts.picture import picture_of
from foldbasket.charts.roles import fold_of_chart
from foldbasket.desktop.drawing.book import print_on
from foldbasket.desktop.drawing.pages import Pages
from foldbasket.folding.engine import Engine
from foldbasket.folding.report.report import Report
from foldbasket.links.source import Source
from foldbasket.spec.chart import Chart
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import Fold, Measure, Placed
from foldbasket.spec.page import Page, Way
from foldbasket.tables.conversion import from_arrow
from foldbasket.tables.table import Table

POINTS, SERIES, WIDTH, HEIGHT = 2_000, 4, 960, 540


def _table(columns: dict[str, object]) -> Table:
    import pyarrow as pa

    return Table.of(
        "Sales", [from_arrow(name, pa.chunked_array([pa.array(values)])) for name, values in columns.items()]
    )


def _report(
    columns: dict[str, object], rows: tuple[str, ...], across: tuple[str, ...] = (), page: Page | None = None
) -> Report:
    def ref(name: str) -> FieldRef:
        return FieldRef("Sales", name)

    fold = Fold(
        "Sales", (Measure("net", "sum", ref("Net")),), tuple(Placed(name, ref(name)) for name in rows),
        tuple(Placed(name, ref(name)) for name in across), page=page or Page(),
    )  # fmt: skip
    return Engine(Source({"Sales": _table(columns)})).fold(fold)


def rows() -> Iterator[Row]:
    """The measurements."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    app = QApplication.instance() or QApplication([])
    yield _chart()
    yield _first_page()
    yield from _pages()
    del app


def _chart() -> Row:
    draw = np.random.default_rng(4)
    many = POINTS // SERIES
    days = np.datetime64("2025-01-01") + np.arange(many)
    columns = {
        "Day": np.tile(days, SERIES),
        "Site": np.repeat([f"Site {at}" for at in range(SERIES)], many),
        "Net": draw.integers(100, 9_999, POINTS),
    }
    report = _report(columns, ("Site",), ("Day",))
    chart = Chart(drawn=Lines())
    assert report.origin is not None
    figures = figures_of(
        report.origin.again(fold_of_chart(report.origin.fold, chart, report)), report.origin.fold, chart
    )
    lines = [series.values for series in figures.panels[0].series]

    def ours() -> None:
        picture_of(figures, chart, WIDTH, HEIGHT).canvas.pixels()

    def bare() -> None:
        from matplotlib.backends.backend_agg import FigureCanvasAgg
        from matplotlib.figure import Figure

        figure = Figure(figsize=(WIDTH / 96, HEIGHT / 96), dpi=96)
        canvas = FigureCanvasAgg(figure)
        axes = figure.add_subplot()
        for at, values in enumerate(lines):
            axes.plot(days, values, label=f"Site {at}")
        axes.set_title("Net")
        axes.grid(axis="y")
        axes.legend()
        canvas.draw()
        bytes(canvas.buffer_rgba())

    return compare(f"draw a chart of {POINTS:,} points", "bare matplotlib drawing the same", 1.2, ours, bare, rounds=9)


def _long(lines: int, page: Page) -> Report:
    draw = np.random.default_rng(5)
    columns = {
        "Group": np.array([f"Group {at // 20:05}" for at in range(lines)]),
        "Member": np.array([f"Member {at:07}" for at in range(lines)]),
        "Net": draw.integers(100, 999_999, lines),
    }
    return _report(columns, ("Group", "Member"), page=page)


def _first_page() -> Row:
    report = _long(1_000_000, Page(way=Way.UPRIGHT))

    def ours() -> None:
        pages = Pages(report)
        image = QImage(pages.size.toSize(), QImage.Format.Format_RGB32)
        painter = QPainter(image)
        pages.draw(painter, 0)
        painter.end()

    ours()
    return compare("first page of a report of a million lines", "200 ms", 1.0, ours, lambda: time.sleep(0.2), rounds=3)


def _pages() -> Iterator[Row]:
    report = _long(19_000, Page(way=Way.UPRIGHT))
    pages = Pages(report)
    many = len(pages)
    texts = [_texts(report, pages, number) for number in range(many)]

    def ours() -> bytes:
        return _pdf(lambda writer: print_on(writer, Pages(report)))

    def bare() -> bytes:
        def draw(writer: QPdfWriter) -> None:
            painter = QPainter(writer)
            painter.setFont(pages.geometry.font())
            for number, page in enumerate(texts):
                if number:
                    writer.newPage()
                for x, y, wide, text, right in page:
                    side = Qt.AlignmentFlag.AlignRight if right else Qt.AlignmentFlag.AlignLeft
                    painter.drawText(QRectF(x, y, wide, 20), side, text)
            painter.end()

        return _pdf(draw)

    yield compare(f"PDF of {many} pages", "QPdfWriter drawing the same texts", 1.3, ours, bare, rounds=3)
    tracemalloc.start()
    made = Pages(report)
    half, peak = 0, 0
    image = QImage(made.size.toSize(), QImage.Format.Format_RGB32)
    for number in range(len(made)):
        painter = QPainter(image)
        made.draw(painter, number)
        painter.end()
        if number == len(made) // 2:
            half = tracemalloc.get_traced_memory()[0]
    peak = tracemalloc.get_traced_memory()[0]
    tracemalloc.stop()
    memory = Memory(f"memory after {many} pages were drawn", "after half of them", float(peak), float(half), 1.2)
    print(memory.markdown(), flush=True)
    yield memory


def _texts(report: Report, pages: Pages, number: int) -> list[tuple[float, float, float, str, bool]]:
    """The texts of a page with about the places they have."""
    sheet, found = pages.sheets[number], []
    for at, row in enumerate(range(*sheet.rows)):
        y = 60.0 + at * pages.geometry.row_height
        line = int(report.left.line[row])
        names = (
            [report.rows.caption(line)]
            if report.left.is_total[row]
            else [report.rows.label(line, field) for field in range(2)]
        )
        found += [(40.0 + 120 * place, y, 118.0, text, False) for place, text in enumerate(names) if text]
        found.append((300.0, y, 100.0, report.text(row, 0), True))
    return [
        *found,
        (40.0, 30.0, 300.0, "Member", False),
        (300.0, 30.0, 100.0, "Net", True),
        (500.0, 1_060.0, 200.0, f"page {number + 1}", True),
    ]


def _pdf(draw: object) -> bytes:
    into = QBuffer()
    into.open(QIODevice.OpenModeFlag.WriteOnly)
    writer = QPdfWriter(into)
    writer.setPageLayout(
        QPageLayout(QPageSize(QPageSize.PageSizeId.A4), QPageLayout.Orientation.Portrait, QMarginsF(0, 0, 0, 0))
    )
    writer.setResolution(96)
    draw(writer)  # type: ignore[operator]
    del writer
    return io.BytesIO(into.data().data()).getvalue()
