"""Draws the names of a report's rows, and the stroke along them. A long report on paper is mostly names, so that what is alike for many is
found once for all that are in view."""

from __future__ import annotations

from collections.abc import Callable
from itertools import accumulate

from msgspec.structs import replace
from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QColor, QPainter, QPen

from foldbasket.desktop.grid.geometry import EDGE, PAD, Geometry
from foldbasket.desktop.grid.pen import Pen
from foldbasket.desktop.grid.selection import Selection
from foldbasket.desktop.widgets import theme
from foldbasket.folding.dress.dressed import CellStyle
from foldbasket.folding.lines.axis import Kind
from foldbasket.folding.report.margins import MEASURE


class RowHeads:
    """The names of the rows of one geometry. `pen_of` gives what a style is drawn with."""

    def __init__(self, at: Geometry, colours: theme.Palette, pen_of: Callable[[CellStyle], Pen]) -> None:
        self.at, self.colours = at, colours
        self._pen_of = pen_of
        self._pens: dict[
            tuple[int, int, bool, bool], Pen
        ] = {}  # styles are few, and live as long as the dressed report
        left, pad = at.report.left, at.scaled(PAD)
        self._in_one, self._depth = at.sheet.indented, left.axis.depth
        self._places = left.places or [0]
        bold_groups = at.dressed.style.bold_groups
        self._is_outer = [bold_groups and field != MEASURE and field < self._depth - 1 for field in self._places]
        self._edges = [*accumulate(at.head_widths, initial=at.left + EDGE)]
        last = len(self._edges) - 1
        self._rooms = [
            self._room(min(place, last - 1), min(place + 1, last), pad) for place in range(len(self._places))
        ]

    def _room(self, place: int, stop: int, pad: float) -> tuple[float, float]:
        """Where a name over head columns from one to the one before another begins, and how wide it may be."""
        start = self._edges[place]
        return start + pad, self._edges[stop] - start - pad - EDGE

    def paint(self, painter: QPainter, lines: range, y: float, held: Selection) -> None:
        """Draws the names of rows, scrolled by so much."""
        at, left, within = self.at, self.at.report.left, slice(lines.start, lines.stop)
        kinds, totals, levels = (each[within].tolist() for each in (left.kind, left.is_total, left.level))
        tops, heights = (at.head_height - y + at.line_tops[within]).tolist(), at.line_heights[within].tolist()
        styles = at.dressed.head_styles(lines)
        if at.dressed.style.strands:
            self._strand(painter, lines, kinds, y)
        chosen, named = held.chosen, held.names(lines, on_rows=True)
        first = self._edges[0 if chosen is None or not chosen.on_rows or self._in_one else chosen.place]
        taken, simple, in_one, rooms, folds = None, at.row_height, self._in_one, self._rooms, at.folds
        pens = self._pens
        for here, texts in enumerate(at.row_heads(lines)):
            style, top, high, is_total, level = styles[here], tops[here], heights[here], totals[here], levels[here]
            if style.ground:
                painter.fillRect(
                    QRectF(self._edges[0], top, self._edges[-1] - self._edges[0], high), QColor(style.ground)
                )
            if named[here]:
                painter.fillRect(QRectF(first, top, self._edges[-1] - first, high), QColor(self.colours.selection))
            caption = left.caption_place(lines[here]) if is_total and self._depth else -1
            for place, text in enumerate(texts):
                if not text:
                    continue
                own = max(0, level - 1) if in_one else place
                key = (id(style), own, is_total, place == caption or in_one)
                pen = pens.get(key)
                if pen is None:
                    pen = pens[key] = self._pen(style, own, is_total=is_total, is_caption=key[-1])
                start, wide = self._over(place) if place == caption and not in_one else rooms[place]
                inset = at.indent_of(lines[here]) if in_one else 0.0
                x, room = start + inset, wide - inset
                if folds:
                    self._fold(
                        painter, QRectF(x, top, room, high), text, pen, own, kinds[here], level, is_total=is_total
                    )
                if pen is not taken:
                    painter.setFont(pen.font)
                    painter.setPen(pen.ink)
                    taken = pen
                pen.draw_name(painter, (x, top, room, high), text, wraps=high > simple)

    def _pen(self, style: CellStyle, place: int, *, is_total: bool, is_caption: bool) -> Pen:
        """What a name is drawn with: groups are bold where the style has them so; the names of what a total is within are those of members."""
        outer = self._is_outer[place]
        bold = (
            outer
            if is_total and not is_caption
            else style.bold or (outer and not is_total) or not self.at.report.left.places
        )
        return self._pen_of(replace(style, bold=bold))

    def _over(self, place: int) -> tuple[float, float]:
        """The room of a caption, which may run on over head columns that say nothing."""
        stop = place + 1
        while stop < len(self._places) and self._places[stop] != MEASURE:
            stop += 1
        return self._room(min(place, len(self._edges) - 2), min(stop, len(self._edges) - 1), self.at.scaled(PAD))

    def _fold(
        self, painter: QPainter, area: QRectF, text: str, pen: Pen, place: int, kind: int, level: int, *, is_total: bool
    ) -> None:
        """Marks the name of a member that is folded up, or can be."""
        field = self._places[place]
        is_folded = kind == Kind.CLOSED and field == level - 1
        if is_folded or (not is_total and MEASURE != field < self._depth - 1):
            pad = self.at.scaled(PAD)
            width = min(self.at.text_width(text, pen.font), area.width() - pad)
            mark_folding(painter, QPointF(area.left() + width + pad, area.center().y()), is_folded, self.colours)

    def _strand(self, painter: QPainter, lines: range, kinds: list[int], y: float) -> None:
        """The stroke of the rows at their edge, in the ink of totals along the total over all; one stretch at a time."""
        at, start = self.at, 0
        tops = (at.head_height + at.line_tops[lines.start : lines.stop + 1] - y).tolist()
        for here in range(1, len(kinds) + 1):
            is_grand = kinds[start] == Kind.GRAND
            if here < len(kinds) and (kinds[here] == Kind.GRAND) == is_grand:
                continue
            end = tops[here] if lines.start + here < at.report.height else tops[here - 1] + float(at.line_heights[-1])
            colour = QColor(at.dressed.inks.ink if is_grand else self.colours.rows)
            painter.fillRect(QRectF(at.left, tops[start], EDGE, end - tops[start]), colour)
            start = here


def mark_folding(painter: QPainter, middle: QPointF, is_folded: bool, colours: theme.Palette) -> None:
    """Behind the name of a folded member a stack of short strokes: its lines lie under one. Behind one that can be folded a single,
    faint one."""
    painter.save()
    painter.setPen(QPen(QColor(colours.rows if is_folded else colours.rule), 1))
    for down in (-3.0, 0.0, 3.0) if is_folded else (0.0,):
        painter.drawLine(middle + QPointF(0, down), middle + QPointF(7, down))
    painter.restore()
