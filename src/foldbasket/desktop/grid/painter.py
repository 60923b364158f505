"""Draws a report in ledger manner: the part in view, with headings that stay in place. Also draws whole pictures.

A thin rule stands over a subtotal, a thin rule over and a double rule under the grand total; numbers stand right on their
decimal mark; the left edge carries the rows' strand and the headings that of the columns.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFont, QFontMetricsF, QImage, QPainter, QPen

from foldbasket.desktop.grid.figures import figures_of
from foldbasket.desktop.grid.geometry import EDGE, PAD, TOP, Geometry
from foldbasket.desktop.widgets import theme
from foldbasket.folding.lines.axis import Kind
from foldbasket.folding.report.margins import MEASURE
from foldbasket.folding.report.report import Report
from foldbasket.outputs.sheet import Span

RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
START = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
CENTRE = Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignVCenter
BOLD, PLAIN = QFont.Weight.DemiBold, QFont.Weight.Normal


@dataclass(frozen=True)
class Marked:
    """The selected block of cells, both ends in, and the cell the keyboard is on."""

    top: int
    left: int
    bottom: int
    right: int
    row: int
    column: int

    def holds(self, row: int, column: int) -> bool:
        return self.top <= row <= self.bottom and self.left <= column <= self.right


class GridPainter:
    """Paints one geometry at a scroll offset into a viewport of a size."""

    def __init__(self, geometry: Geometry, colours: theme.Palette | None = None) -> None:
        self.at = geometry
        self.report = geometry.report
        self.colours = colours or theme.palette()

    def paint(
        self, painter: QPainter, width: float, height: float, x: float = 0, y: float = 0, marked: Marked | None = None
    ) -> None:
        """Paints the viewport; `x` and `y` say how far the cells are scrolled."""
        at = self.at
        painter.fillRect(QRectF(0, 0, width, height), QColor(self.colours.paper))
        lines = at.lines_within(y, y + height - at.head_height)
        columns = at.columns_within(x, x + width - at.heads_width)
        painter.save()
        painter.setClipRect(QRectF(at.heads_width, at.head_height, width, height))
        self._cells(painter, lines, columns, x, y, marked)
        painter.restore()
        painter.save()
        painter.setClipRect(QRectF(0, at.head_height, width, height))
        self._line_rules(painter, lines, width, x, y)
        self._row_heads(painter, lines, y)
        painter.restore()
        painter.save()
        painter.setClipRect(QRectF(at.heads_width, 0, width, at.head_height))
        self._column_heads(painter, columns, x, width)
        painter.restore()
        self._corner(painter)
        right = min(width, at.heads_width + at.size[0] - x)
        painter.setPen(QPen(QColor(self.colours.ink), 1))
        painter.drawLine(QPointF(at.left, at.head_height - 0.5), QPointF(right, at.head_height - 0.5))

    # --- parts --------------------------------------------------------------

    def _cells(
        self, painter: QPainter, lines: range, columns: range, x: float, y: float, marked: Marked | None
    ) -> None:
        at, report, colours = self.at, self.report, self.colours
        fonts = {weight: at.font(weight) for weight in (PLAIN, BOLD)}
        figures = {weight: figures_of(font) for weight, font in fonts.items()}
        hang = QFontMetricsF(fonts[PLAIN]).horizontalAdvance(")")
        ink, red = QColor(colours.ink), QColor(colours.columns)
        pad = at.scaled(PAD)
        height = at.row_height
        lefts = (at.heads_width - x + at.column_edges[columns.start : columns.stop + 1]).tolist()
        tops = (at.head_height - y + at.line_tops[lines.start : lines.stop + 1]).tolist()
        is_number = [report.is_number(measure) for measure in range(len(report.measures))]
        negative = _negatives(report, lines, columns)
        totals = report.left.is_total[lines.start : lines.stop].tolist()
        text_of, pen = report.text, None
        for at_line, line in enumerate(lines):
            top, middle = tops[at_line], tops[at_line] + height / 2
            weight = BOLD if totals[at_line] else PLAIN
            run_of = figures[weight].run
            for at_column, column in enumerate(columns):
                left, right = lefts[at_column], lefts[at_column + 1]
                if marked is not None and marked.holds(line, column):
                    painter.fillRect(QRectF(left, top, right - left, height), QColor(colours.selection))
                text = text_of(line, column)
                if not text:
                    continue
                numeric = is_number[report.cell(line, column)[0]]
                if negative[at_line][at_column]:
                    text = text.replace(
                        "-", "−", 1
                    )  # as printers set it; what is copied keeps the sign that programs read
                colour = red if negative[at_line][at_column] else ink
                if colour is not pen:
                    painter.setPen(colour)
                    pen = colour
                # A closing bracket hangs over, so that the digits stay under each other.
                edge = right - pad + (hang if text[-1] == ")" else 0.0)
                if numeric and at.tabular:
                    run = run_of(text)
                    if run is not None:
                        painter.drawGlyphRun(QPointF(edge, middle), run)
                        continue
                painter.setFont(fonts[weight])
                inner = QRectF(left + pad / 2, top, edge - left - pad / 2, height)
                shown = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, int(inner.width()) + 2)
                painter.drawText(inner, RIGHT if numeric else START, shown)
        if marked is not None and marked.row in lines and marked.column in columns:
            left = at.heads_width + float(at.column_edges[marked.column]) - x
            top = at.head_height + float(at.line_tops[marked.row]) - y
            painter.setPen(QPen(QColor(colours.rows), 2))
            painter.drawRect(
                QRectF(
                    left, top, float(at.column_edges[marked.column + 1] - at.column_edges[marked.column]), at.row_height
                ).adjusted(1, 1, -1, -1)
            )

    def _line_rules(self, painter: QPainter, lines: range, width: float, x: float, y: float) -> None:
        at, report = self.at, self.report
        right = min(width, at.heads_width + at.size[0] - x)
        for line in lines:
            if not report.left.is_total[line]:
                continue
            kind = report.left.kind[line]
            top = at.head_height + float(at.line_tops[line]) - y
            colour = QColor(self.colours.rule if kind == Kind.SUBTOTAL else self.colours.ink)
            painter.setPen(QPen(colour, 1))
            start = at.left + EDGE
            # A total with a row for each measure is ruled as one.
            of_line = report.left.line
            if line == 0 or of_line[line - 1] != of_line[line]:
                painter.drawLine(QPointF(start, top + 0.5), QPointF(right, top + 0.5))
            if kind == Kind.GRAND and (line + 1 == report.height or of_line[line + 1] != of_line[line]):
                bottom = top + at.row_height
                painter.drawLine(QPointF(at.left, bottom - 0.5), QPointF(right, bottom - 0.5))
                painter.drawLine(QPointF(at.left, bottom + 1.5), QPointF(right, bottom + 1.5))

    def _row_heads(self, painter: QPainter, lines: range, y: float) -> None:
        at, report, colours = self.at, self.report, self.colours
        left = report.left
        pad = at.scaled(PAD)
        ink = QColor(colours.ink)
        kinds, totals = (each[lines.start : lines.stop].tolist() for each in (left.kind, left.is_total))
        fonts = {weight: at.font(weight) for weight in (PLAIN, BOLD)}
        edges = [at.left + EDGE]
        for width in at.head_widths:
            edges.append(edges[-1] + width)
        for line, kind, is_total in zip(lines, kinds, totals, strict=True):
            top = at.head_height + float(at.line_tops[line]) - y
            edge = QColor(colours.ink if kind == Kind.GRAND else colours.rows)
            below = float(at.line_tops[line + 1] - at.line_tops[line])
            painter.fillRect(QRectF(at.left, top, EDGE, below if line + 1 < report.height else at.row_height), edge)
            painter.setPen(ink)
            caption = left.caption_place(line) if is_total and left.axis.depth else -1
            for place, text in enumerate(at.sheet.row_head(line, repeat=False, first=lines.start)):
                if not text:
                    continue
                field = left.places[place] if left.places else 0
                bold = place == caption or not left.places or (field != MEASURE and field < left.axis.depth - 1)
                weight = BOLD if bold else PLAIN
                stop = place + 1
                if place == caption:  # it may run on over head columns that say nothing
                    while stop < len(left.places) and left.places[stop] != MEASURE:
                        stop += 1
                area = QRectF(edges[place] + pad, top, edges[stop] - edges[place] - pad - EDGE, at.row_height)
                is_folded = kind == Kind.CLOSED and field == int(left.level[line]) - 1
                has_inner = not is_total and MEASURE != field < left.axis.depth - 1
                if (is_folded or has_inner) and at.tabular:  # on paper nothing folds
                    width = min(at.text_width(text, fonts[weight]), area.width() - pad)
                    self._mark_folding(painter, QPointF(area.left() + width + pad, area.center().y()), is_folded)
                painter.setFont(fonts[weight])
                painter.drawText(area, START, self._elided(text, fonts[weight], area.width()))

    def _mark_folding(self, painter: QPainter, middle: QPointF, is_folded: bool) -> None:
        """Behind the name of a folded member a stack of short strokes: its lines lie under one. Behind one that can be folded a single,
        faint one."""
        painter.save()
        painter.setPen(QPen(QColor(self.colours.rows if is_folded else self.colours.rule), 1))
        for down in (-3.0, 0.0, 3.0) if is_folded else (0.0,):
            painter.drawLine(middle + QPointF(0, down), middle + QPointF(7, down))
        painter.restore()

    def _elided(self, text: str, font: QFont, width: float) -> str:
        """The text, shortened where it does not fit; most do, so their widths are kept."""
        if self.at.text_width(text, font) <= width + 2:
            return text
        return QFontMetricsF(font).elidedText(text, Qt.TextElideMode.ElideRight, width + 2)

    def _column_heads(self, painter: QPainter, columns: range, x: float, width: float) -> None:
        at, report, colours = self.at, self.report, self.colours
        pad = at.scaled(PAD)
        tops = [float(at.scaled(TOP))]
        for height in at.head_heights:
            tops.append(tops[-1] + height)
        for span in at.sheet.column_heads(columns):
            left = at.heads_width + float(at.column_edges[span.column]) - x
            right = at.heads_width + float(at.column_edges[span.column + span.columns]) - x
            area = QRectF(left, tops[span.row], right - left, tops[span.row + span.rows] - tops[span.row])
            if span.is_measure and span.columns == 1:
                measure = int(report.top.measure[span.column])
                painter.setFont(at.font(size=theme.SMALL))
                painter.setPen(QColor(colours.muted))
                side = RIGHT if report.is_number(measure) else START
                shown = painter.fontMetrics().elidedText(
                    span.text, Qt.TextElideMode.ElideRight, int(area.width() - pad)
                )
                painter.drawText(area.adjusted(pad / 2, 0, -pad, 0), side, shown)
                continue
            painter.setFont(at.font(BOLD))
            painter.setPen(QColor(colours.ink))
            seen = area.intersected(QRectF(at.heads_width, 0, width - at.heads_width, 10_000))
            measure = int(report.top.measure[span.column])
            alone = span.columns == 1 and (measure < 0 or report.is_number(measure))
            inner = seen.adjusted(pad / 2, 0, -pad, -4)
            inner.setTop(tops[span.row + span.rows - 1])  # over several rows it stands on the last
            shown = painter.fontMetrics().elidedText(span.text, Qt.TextElideMode.ElideRight, int(inner.width()) + 2)
            painter.drawText(inner, RIGHT if alone else CENTRE, shown)
            folding = self._folding_of(span)
            if folding is not None and at.tabular:  # on paper nothing folds
                said = painter.fontMetrics().horizontalAdvance(shown)
                behind = (
                    (inner.right() - said - pad - 7)
                    if alone
                    else min(inner.center().x() + said / 2 + pad / 2, right - 8)
                )
                if behind > inner.left():
                    self._mark_folding(painter, QPointF(behind, inner.center().y()), folding)
            base = area.bottom() - 4
            colour = QColor(colours.ink) if span.kind == Kind.GRAND else colours.strand("columns")
            theme.draw_stroke(painter, "columns", QPointF(left + 1, base), QPointF(right - 1, base), colour)

    def _folding_of(self, span: Span) -> bool | None:
        """Whether a heading over columns is that of a member folded up (True) or of one that can be (False); None for all others."""
        top = self.report.top
        field = top.places[span.row] if top.places else MEASURE
        if field == MEASURE or span.kind != Kind.MEMBER:
            return None
        if top.kind[span.column] == Kind.CLOSED and int(top.level[span.column]) == field + 1:
            return True
        return False if field < top.axis.depth - 1 else None

    def _corner(self, painter: QPainter) -> None:
        at = self.at
        pad = at.scaled(PAD)
        left = at.left + EDGE
        height = at.head_heights[-1] if at.head_heights else at.scaled(TOP)
        painter.fillRect(QRectF(0, 0, at.heads_width, at.head_height), QColor(self.colours.paper))
        painter.setFont(at.font(size=theme.SMALL))
        painter.setPen(QColor(self.colours.muted))
        for width, text in zip(at.head_widths, at.sheet.corner(), strict=True):
            area = QRectF(left + pad, at.head_height - height, width - pad, height)
            painter.drawText(
                area, START, painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, int(width - pad))
            )
            left += width


def _negatives(report: Report, lines: range, columns: range) -> list[list[bool]]:
    """Which cells in view are numbers below zero, row by row."""
    below = np.zeros((len(lines), len(columns)), np.bool_)
    rows, across = report.left.line[lines.start : lines.stop], report.top.line[columns.start : columns.stop]
    on_rows = report.measures_on == "rows"
    which = (
        report.left.measure[lines.start : lines.stop] if on_rows else report.top.measure[columns.start : columns.stop]
    )
    for measure, block in enumerate(report.blocks):
        if not report.is_number(measure):
            continue
        chosen = which == measure
        view = np.ix_(rows[chosen], across) if on_rows else np.ix_(rows, across[chosen])
        found = (block.data[view] < 0) & ~block.blank[view]
        if on_rows:
            below[chosen] = found
        else:
            below[:, chosen] = found
    shown: list[list[bool]] = below.tolist()
    return shown


def picture(geometry: Geometry, ratio: float = 1.0) -> QImage:
    """The whole report as an image, in the light set."""
    width, height = (
        geometry.heads_width + geometry.size[0] + geometry.left,
        geometry.head_height + geometry.size[1] + geometry.left,
    )
    image = QImage(int(width * ratio), int(height * ratio), QImage.Format.Format_RGB32)
    image.setDevicePixelRatio(ratio)
    painter = QPainter(image)
    GridPainter(geometry, theme.LIGHT).paint(painter, width, height)
    painter.end()
    return image
