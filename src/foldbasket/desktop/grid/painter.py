"""Draws a report in ledger manner: the part in view, with headings that stay in place. Also draws whole pictures.

A thin rule stands over a subtotal, a thin rule over and a double rule under the grand total; numbers stand right on their
decimal mark; the left edge carries the rows' strand and the headings that of the columns.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFont, QImage, QPainter, QPen

from foldbasket.desktop.grid.geometry import EDGE, GAP, PAD, TOP, Geometry
from foldbasket.desktop.grid.grounds import Cells, draw_bars, draw_edges, draw_grounds
from foldbasket.desktop.grid.pen import Pen, draw_rule
from foldbasket.desktop.grid.rowheads import RowHeads, mark_folding
from foldbasket.desktop.grid.selection import NOTHING, Marked, Selection
from foldbasket.desktop.widgets import theme
from foldbasket.desktop.widgets.plain import elided, short
from foldbasket.folding.dress.dressed import CellStyle
from foldbasket.folding.lines.axis import Kind
from foldbasket.folding.report.margins import MEASURE
from foldbasket.outputs.sheet import Span
from foldbasket.spec.look import Rule, Side

RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
START = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
CENTRE = Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignVCenter
BOLD = QFont.Weight.DemiBold
SIDES = {Side.LEFT: START, Side.MIDDLE: CENTRE, Side.RIGHT: RIGHT}

WITHIN = Qt.ClipOperation.IntersectClip
"""What is painted stays within what the caller lets it."""


class GridPainter:
    """Paints one geometry at a scroll offset into a viewport of a size."""

    def __init__(
        self, geometry: Geometry, colours: theme.Palette | None = None, ground: str = "", *, whole: bool = False
    ) -> None:
        """`ground` is what it is drawn on where that is not the style's own paper. On a page only `whole` rows and columns are drawn, so
        that nothing is cut off at the headings."""
        self._whole = whole
        self.at = geometry
        self.ground = QColor(ground or geometry.dressed.inks.paper)
        self.report, self.dressed = geometry.report, geometry.dressed
        self.colours = colours or theme.palette()
        self._pens: dict[CellStyle, Pen] = geometry.pens

    def paint(
        self, painter: QPainter, width: float, height: float, x: float = 0, y: float = 0, held: Selection = NOTHING
    ) -> None:
        """Paints the viewport; `x` and `y` say how far the cells are scrolled, `held` what is selected."""
        at = self.at
        painter.fillRect(QRectF(0, 0, width, height), self.ground)
        lines = at.lines_within(y, y + height - at.head_height)
        columns = at.columns_within(x, x + width - at.heads_width)
        with self._within(painter, QRectF(at.heads_width, at.head_height, width, height)):
            self._cells(painter, lines, columns, x, y, held)
        with self._within(painter, QRectF(0, at.head_height, width, height)):
            RowHeads(at, self.colours, self._pen).paint(painter, lines, y, held)
            self._line_rules(painter, lines, width, x, y)
        with self._within(painter, QRectF(at.heads_width, 0, width, at.head_height)):
            self._column_heads(painter, columns, x, width, held)
        self._corner(painter)
        right = min(width, at.heads_width + at.size[0] - x)
        self.foot(painter, at.head_height + at.size[1] - y)
        draw_rule(painter, self.dressed.head.below, at.left, right, at.head_height - 0.5, QColor(self.dressed.inks.ink))

    @contextmanager
    def _within(self, painter: QPainter, area: QRectF) -> Iterator[None]:
        if self._whole:
            yield
            return
        painter.save()
        painter.setClipRect(area, WITHIN)
        yield
        painter.restore()

    def foot(self, painter: QPainter, top: float) -> None:
        """What stands under the report: legend and notes."""
        at = self.at
        top += 2 * at.scaled(GAP)
        for style, words in at.foot:
            left = at.left
            if style is not None:
                pen = self._pen(style)
                sample = f"{style.sign} 1,234".strip()
                wide = pen.metrics.horizontalAdvance(sample) + 2 * at.scaled(PAD)
                area = QRectF(left, top + 2, wide, at.row_height - 4)
                if style.ground:
                    painter.fillRect(area, QColor(style.ground))
                if style.edge:
                    painter.fillRect(QRectF(left, area.top(), at.scaled(EDGE), area.height()), QColor(style.edge))
                if style.bar:
                    painter.fillRect(area.adjusted(0, 3, -wide / 3, -3), QColor(style.bar))
                painter.setFont(pen.font)
                painter.setPen(pen.ink)
                painter.drawText(area, CENTRE, sample)
                left += wide + at.scaled(PAD)
            painter.setFont(at.font(size=theme.SMALL))
            painter.setPen(QColor(self.dressed.inks.muted))
            painter.drawText(QRectF(left, top, 4_000, at.row_height), START, words)
            top += at.row_height

    # --- parts --------------------------------------------------------------

    def _cells(self, painter: QPainter, lines: range, columns: range, x: float, y: float, held: Selection) -> None:
        at, dressed = self.at, self.dressed
        if not lines or not columns:
            return
        codes, bars = dressed.codes(lines, columns), dressed.bars(lines, columns)
        pens = [self._pen(style) for style in dressed.palette]
        cells = Cells(
            at.heads_width - x + at.column_edges[columns.start : columns.stop + 1],
            at.head_height - y + at.line_tops[lines.start : lines.stop + 1],
            at.line_heights[lines.start : lines.stop],
            codes,
        )
        selected = np.array(held.rows(lines), np.bool_)[:, None] & np.array(held.columns(columns), np.bool_)[None, :]
        draw_grounds(painter, cells, pens, selected, QColor(self.colours.selection))
        draw_edges(painter, cells, pens, at.scaled(EDGE))
        if bars is not None:
            draw_bars(painter, cells, pens, bars, dressed.bar_zeros(lines, columns))
        self._figures(painter, lines, columns, cells, pens)
        marked = held.marked
        if marked is not None and marked.row in lines and marked.column in columns:
            self._frame(painter, marked, x, y)

    def _figures(self, painter: QPainter, lines: range, columns: range, cells: Cells, pens: list[Pen]) -> None:
        """The texts of the cells, style by style, so that each ink and face is taken up once."""
        at, report, dressed = self.at, self.report, self.dressed
        pad, on_rows = at.scaled(PAD), report.on_rows
        is_number = [report.is_number(measure) for measure in range(len(report.measures))]
        along, shown = (report.left, lines) if on_rows else (report.top, columns)
        numbers = [is_number[measure] for measure in along.measure[shown.start : shown.stop].tolist()]
        order, wide = np.argsort(cells.codes, axis=None, kind="stable"), len(columns)
        codes = cells.codes.ravel()[order].tolist()
        texts, pen = report.texts(lines, columns), None
        lefts, tops, heights = (each.tolist() for each in (cells.lefts, cells.tops, cells.heights))
        for code, place in zip(codes, order.tolist(), strict=True):
            at_line, at_column = divmod(place, wide)
            with_pen = pens[code]
            style = with_pen.style
            text = (
                texts[at_line][at_column] if with_pen.plain else dressed.text(lines[at_line], columns[at_column], style)
            )
            if not text:
                continue
            if with_pen is not pen:
                painter.setPen(with_pen.ink)
                painter.setFont(with_pen.font)
                pen = with_pen
            left, right, top, height = lefts[at_column], lefts[at_column + 1], tops[at_line], heights[at_line]
            if numbers[at_line if on_rows else at_column]:
                # As printers set it; what is copied keeps the sign that programs read.
                text = text.replace("-", "−", 1)
                # A closing bracket hangs over, so that the digits stay under each other.
                edge = right - pad + (with_pen.hang if text[-1] == ")" else 0.0)
                run = with_pen.run(text) if style.side is Side.RIGHT else None
                if run is not None:
                    painter.drawGlyphRun(QPointF(edge, top + height / 2), run)
                    if style.sign:
                        self._sign(painter, with_pen, edge - with_pen.metrics.horizontalAdvance(text), top)
                    continue
                inner = QRectF(left + pad / 2, top, edge - left - pad / 2, height)
            else:
                inner = QRectF(left + pad, top, right - left - 1.5 * pad, height)
            said = f"{style.sign} {text}" if style.sign else text
            painter.drawText(inner, SIDES[style.side], with_pen.fitted(said, inner.width() + 2))

    def _frame(self, painter: QPainter, marked: Marked, x: float, y: float) -> None:
        """A frame around the cell that the keyboard is on."""
        at = self.at
        left = at.heads_width + float(at.column_edges[marked.column]) - x
        top = at.head_height + float(at.line_tops[marked.row]) - y
        wide = float(at.column_edges[marked.column + 1] - at.column_edges[marked.column])
        painter.setPen(QPen(QColor(self.colours.rows), 2))
        high = float(at.line_heights[marked.row])
        painter.drawRect(QRectF(left, top, wide, high).adjusted(1, 1, -1, -1))

    def _pen(self, style: CellStyle) -> Pen:
        """What a style is drawn with; made once for each style of the palette."""
        found = self._pens.get(style)
        if found is None:
            found = self._pens[style] = Pen(style, *self.at.face(bold=style.bold, italic=style.italic))
            if self._whole:  # what is drawn once is not kept; for a name alone Qt is as quick
                found.run, found.named = found.figures.run_once, None
            elif not self.at.tabular:  # a drawing keeps its figures as text
                found.run, found.named = lambda _: None, None
        return found

    def _sign(self, painter: QPainter, pen: Pen, right: float, top: float) -> None:
        area = QRectF(right - self.at.scaled(20), top, self.at.scaled(16), self.at.row_height)
        painter.drawText(area, RIGHT, pen.style.sign)

    def _line_rules(self, painter: QPainter, lines: range, width: float, x: float, y: float) -> None:
        at, report = self.at, self.report
        right = min(width, at.heads_width + at.size[0] - x)
        of_line = report.left.line
        for line, style in zip(lines, self.dressed.head_styles(lines), strict=True):
            if style.above is Rule.NONE and style.below is Rule.NONE:
                continue
            top = at.head_height + float(at.line_tops[line]) - y
            colour = QColor(style.rule_ink)
            # A total with a row for each measure is ruled as one.
            if line == 0 or of_line[line - 1] != of_line[line]:
                draw_rule(painter, style.above, at.left + EDGE, right, top + 0.5, colour)
            if line + 1 == report.height or of_line[line + 1] != of_line[line]:
                draw_rule(painter, style.below, at.left, right, top + float(at.line_heights[line]) - 0.5, colour)

    def _column_heads(self, painter: QPainter, columns: range, x: float, width: float, held: Selection) -> None:
        at, report, colours = self.at, self.report, self.dressed.inks
        pad = at.scaled(PAD)
        if colours.head:
            right = min(width, at.heads_width + at.size[0] - x)
            room = QRectF(at.heads_width, at.scaled(TOP), right - at.heads_width, at.head_height - at.scaled(TOP))
            painter.fillRect(room, QColor(colours.head))
        tops = [float(at.scaled(TOP))]
        for height in at.head_heights:
            tops.append(tops[-1] + height)
        chosen, named = held.chosen, held.names(range(self.report.width), on_rows=False) if held.chosen else []
        for span in at.sheet.column_heads(columns):
            left = at.heads_width + float(at.column_edges[span.column]) - x
            right = at.heads_width + float(at.column_edges[span.column + span.columns]) - x
            area = QRectF(left, tops[span.row], right - left, tops[span.row + span.rows] - tops[span.row])
            if chosen is not None and named[span.column] and span.row + span.rows > chosen.place:
                painter.fillRect(area, QColor(self.colours.selection))
            if span.is_measure and span.columns == 1:
                measure = int(report.top.measure[span.column])
                painter.setFont(at.font(size=theme.SMALL))
                painter.setPen(QColor(colours.muted))
                # Texts begin where their heading does; a number may take all of its room.
                side, inset = (RIGHT, pad / 2) if report.is_number(measure) else (START, pad)
                self._heading(painter, area.adjusted(inset, 0, -pad, 0), side, span.text, pad / 2)
                continue
            painter.setFont(at.font(BOLD))
            painter.setPen(QColor(colours.ink))
            seen = area.intersected(QRectF(at.heads_width, 0, width - at.heads_width, 10_000))
            measure = int(report.top.measure[span.column])
            alone = span.columns == 1 and (measure < 0 or report.is_number(measure))
            inner = seen.adjusted(pad / 2, 0, -pad, -4)
            inner.setTop(tops[span.row + span.rows - 1])  # over several rows it stands on the last
            shown = self._heading(painter, inner, RIGHT if alone else CENTRE, span.text, 2)
            folding = self._folding_of(span)
            if folding is not None and at.folds:
                said = painter.fontMetrics().horizontalAdvance(shown)
                behind = (
                    (inner.right() - said - pad - 7)
                    if alone
                    else min(inner.center().x() + said / 2 + pad / 2, right - 8)
                )
                if behind > inner.left():
                    mark_folding(painter, QPointF(behind, inner.center().y()), folding, self.colours)
            base = area.bottom() - 4
            if not self.dressed.style.strands:
                draw_rule(painter, Rule.THIN, left + pad / 2, right - pad / 2, base, QColor(colours.rule))
                continue
            colour = QColor(colours.ink) if span.kind == Kind.GRAND else self.colours.strand("columns")
            theme.draw_stroke(painter, "columns", QPointF(left + 1, base), QPointF(right - 1, base), colour)

    def _heading(self, painter: QPainter, room: QRectF, side: Qt.AlignmentFlag, text: str, over: float) -> str:
        """Draws a heading of columns, over several lines where it may, else shortened where it is wider than its room and so much over;
        tells what was drawn."""
        metrics, text = painter.fontMetrics(), short(text)
        if self.at.wraps and metrics.horizontalAdvance(text) > room.width() + over:
            painter.drawText(room, side | Qt.TextFlag.TextWordWrap, text)
            return text
        shown = elided(metrics, text, int(room.width() + over))
        painter.drawText(room, side, shown)
        return shown

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
        painter.fillRect(QRectF(0, 0, at.heads_width, at.head_height), self.ground)
        if self.dressed.inks.head:
            painter.fillRect(
                QRectF(left, at.scaled(TOP), at.heads_width - left, at.head_height - at.scaled(TOP)),
                QColor(self.dressed.inks.head),
            )
        painter.setFont(at.font(size=theme.SMALL))
        painter.setPen(QColor(self.dressed.inks.muted))
        for width, text in zip(at.head_widths, at.sheet.corner(), strict=True):
            area = QRectF(left + pad, at.head_height - height, width - pad, height)
            painter.drawText(area, START, elided(painter.fontMetrics(), text, int(width - pad)))
            left += width


def picture(geometry: Geometry, ratio: float = 1.0) -> QImage:
    """The whole report as an image, in the light set."""
    width, height = (
        geometry.heads_width + geometry.size[0] + geometry.left,
        geometry.head_height + geometry.size[1] + geometry.foot_height + geometry.left,
    )
    image = QImage(int(width * ratio), int(height * ratio), QImage.Format.Format_RGB32)
    image.setDevicePixelRatio(ratio)
    painter = QPainter(image)
    GridPainter(geometry, theme.LIGHT).paint(painter, width, height)
    painter.end()
    return image
