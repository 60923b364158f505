"""Where everything in the grid stands, in pixels: widths of columns, heights of lines, and what lies under a point."""

from __future__ import annotations

import threading
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from PyQt6.QtGui import QFont, QFontMetricsF

from foldbasket.desktop.grid.figures import Figures, figures_of
from foldbasket.desktop.widgets import theme
from foldbasket.desktop.widgets.plain import short
from foldbasket.folding.dress.dressed import CellStyle, Dressed
from foldbasket.folding.report.margins import MEASURE
from foldbasket.folding.report.report import Report
from foldbasket.outputs.sheet import Sheet
from foldbasket.styling.styles import Paper
from foldbasket.tables.distinct import distinct
from foldbasket.tables.types import FieldType
from foldbasket.turns import give_way

ROW, HEAD, GAP = 23, 25, 7
PAD = 9
LEFT, TOP = 22, 16
NARROWEST, WIDEST = 58, 300
EDGE = 3
TINY = 1e-6
SAMPLE = 120
MOST_KEPT = 20_000
WRAPPED = 160
"""Names and headings that may go on over several lines make no column wider than that."""
MOST_WRAPPED = 10_000
"""The names of a field of more members stay on one line each; to break them takes some 6 µs each."""
MOST_FITTED = 1_500
"""The columns of a wider report are as wide as their numbers ask; their headings are not measured one by one."""


class DrawnWith(threading.local):
    """What a geometry is drawn with, for each thread its own: pages are laid out on one and shown on another."""

    def __init__(self) -> None:
        self.pens: dict[Any, Any] = {}
        self.faces: dict[tuple[bool, bool], tuple[QFont, Figures]] = {}


@dataclass(frozen=True, eq=False)
class Geometry:
    """Built once per report and zoom. All sizes are in pixels at that zoom.

    `tabular` gives every digit one width; off where text must be found by programs that know nothing of such digits. `folds` says that what
    can be folded up is marked, as in the window.
    """

    report: Report
    zoom: float = 1.0
    tabular: bool = True
    paper: Paper = "light"
    folds: bool = False

    @cached_property
    def sheet(self) -> Sheet:
        return Sheet(self.report)

    @cached_property
    def dressed(self) -> Dressed:
        return Dressed(self.report, self.paper)

    @cached_property
    def _drawn_with(self) -> DrawnWith:
        return DrawnWith()

    @property
    def pens(self) -> dict[Any, Any]:
        """What each style is drawn with, kept by the painters of this geometry on this thread."""
        return self._drawn_with.pens

    @cached_property
    def foot(self) -> list[tuple[CellStyle | None, str]]:
        """What stands under the report: a sample of each highlight with its words, and the notes."""
        notes: list[tuple[CellStyle | None, str]] = [(None, note) for note in self.report.look.notes]
        return [*self.dressed.legend(), *notes]

    @cached_property
    def foot_height(self) -> float:
        return self.scaled(GAP) * 2 + len(self.foot) * self.row_height if self.foot else 0.0

    def row_heads(self, lines: range) -> list[list[str]]:
        """The names of rows, as they stand in view from the first of them on."""
        return self.sheet.row_heads(lines, repeat=self.report.look.layout.repeat, first=lines.start)

    def indent_of(self, line: int) -> float:
        """How far the name of a line stands in, where the names of all levels stand in one column."""
        return self.scaled(self.report.style.indent * self.sheet.indent(line))

    @cached_property
    def _text_widths(self) -> dict[tuple[str, int, bool, float], float]:
        return {}

    def text_width(self, text: str, font: QFont) -> float:
        """How wide a heading is in one of this geometry's fonts; kept, since the same ones are drawn frame after frame."""
        key = (text, font.weight(), font.italic(), font.pointSizeF())
        if key not in self._text_widths:
            give_way()
            if len(self._text_widths) > MOST_KEPT:  # a long report has more names than are worth keeping
                self._text_widths.clear()
            self._text_widths[key] = figures_of(font).names.wide(text)
        return self._text_widths[key]

    def scaled(self, pixels: float) -> float:
        return round(pixels * self.zoom)

    def face(self, *, bold: bool, italic: bool) -> tuple[QFont, Figures]:
        """The face of cells, and its figures."""
        faces = self._drawn_with.faces
        if (bold, italic) not in faces:
            font = self.font(QFont.Weight.DemiBold if bold else QFont.Weight.Normal, italic=italic)
            faces[bold, italic] = font, figures_of(font)
        return faces[bold, italic]

    def font(
        self, weight: QFont.Weight = QFont.Weight.Normal, size: float = theme.BODY, *, italic: bool = False
    ) -> QFont:
        """A face of the style, at a size that goes with its own."""
        style = self.report.style
        made = theme.font(size * self.zoom * style.size / theme.BODY, weight, self.tabular)
        if not (style.family or italic):
            return made
        made = QFont(made)
        if style.family == "serif":
            made.setFamilies([theme.serif()])
            made.setStyleHint(QFont.StyleHint.Serif)
        elif style.family:
            made.setFamilies([style.family, made.family()])
        made.setItalic(italic)
        return made

    @cached_property
    def row_height(self) -> float:
        return self.scaled(ROW * self.report.style.spacing)

    @cached_property
    def head_heights(self) -> list[float]:
        """One per head row; those of fields are a little higher than that of the measures."""
        places = self.report.top.places or (MEASURE,)
        plain = [self.scaled(HEAD if place == MEASURE else HEAD + 4) for place in places]
        if not self.wraps or self.report.width > MOST_FITTED:
            return plain
        small = figures_of(self.font(size=theme.SMALL)).names
        heavy = figures_of(self.font(QFont.Weight.DemiBold)).names
        for span in self.sheet.column_heads():
            names = small if span.is_measure and span.columns == 1 else heavy
            room = float(self.column_edges[span.column + span.columns] - self.column_edges[span.column])
            more = names.lines(span.text, room - self.scaled(1.5 * PAD)) - 1
            last = span.row + span.rows - 1
            plain[last] = max(plain[last], self.scaled(HEAD) + more * names.metrics.height())
        return plain

    @property
    def wraps(self) -> bool:
        """Whether long names go on over several lines."""
        return self.report.look.layout.wrap

    @cached_property
    def head_height(self) -> float:
        return self.scaled(TOP) + sum(self.head_heights)

    @cached_property
    def left(self) -> float:
        return self.scaled(LEFT)

    @cached_property
    def head_widths(self) -> list[float]:
        """Widths of the head columns, by the widest of their headings, members and captions."""
        report = self.report
        bold = QFontMetricsF(self.font(QFont.Weight.DemiBold))
        widths = []
        step = max(1, report.height // SAMPLE)
        rows = range(0, report.height, step)
        named, said = (self.sheet.row_heads(rows, repeat=repeat) for repeat in (True, False))
        is_total = report.left.is_total[rows.start : rows.stop : step].tolist()
        shown = [total if ends else each for each, total, ends in zip(named, said, is_total, strict=True)]
        if self.sheet.indented:
            shown = [["\u2003" * self.sheet.indent(row) + each[0]] for row, each in zip(rows, shown, strict=True)]
        for place, heading in enumerate(self.sheet.corner()):
            texts = {heading, *(texts[place] for texts in shown), *self._longest_members(place)}
            widest = max((bold.horizontalAdvance(short(text)) for text in sorted(texts, key=len)[-12:]), default=0)
            field = self.report.left.places[place] if place < len(self.report.left.places) else MEASURE
            own = self._own_width(self.report.rows.heads[field].id) if field != MEASURE else 0.0
            most = self.scaled(WRAPPED if self.wraps else WIDEST)
            widths.append(own or min(most, max(self.scaled(72), widest + self.scaled(3 * PAD))))
        return widths

    def _longest_members(self, place: int) -> list[str]:
        """The longest names of a head column of its own, which a sample of its lines may have missed."""
        field = self.report.left.places[place] if place < len(self.report.left.places) else MEASURE
        if field == MEASURE or self.report.look.layout.indented:
            return []
        return self.report.rows.longest[field]

    @cached_property
    def heads_width(self) -> float:
        return self.left + sum(self.head_widths)

    @cached_property
    def measure_widths(self) -> list[float]:
        """One per measure, wide enough for its largest and smallest number in any cell."""
        report = self.report
        bold = figures_of(self.font(QFont.Weight.DemiBold))
        small = QFontMetricsF(self.font(size=theme.SMALL))
        widths = []
        for measure, block in enumerate(report.blocks):
            texts = set()
            shown = np.flatnonzero(~block.blank.ravel())
            if len(shown):
                flat = block.data.ravel()
                numeric = block.dictionary is None
                spots = (
                    [shown[np.argmax(flat[shown])], shown[np.argmin(flat[shown])]]
                    if numeric and flat.dtype != object
                    else []
                )
                spots += shown[:: max(1, len(shown) // 40)].tolist()
                if block.dictionary is not None and block.type is FieldType.TEXT:
                    texts.update(block.dictionary.longest(distinct(flat[shown])))
                for spot in spots:
                    texts.add(report.written(measure, *divmod(int(spot), block.data.shape[1])))
            width = max((bold.wide(text) for text in texts), default=0)
            if report.top.has_measures:
                heading = report.measures[measure].heading
                words = heading.split() if self.wraps else [heading]
                width = max(width, max((small.horizontalAdvance(each) for each in words), default=0))
            if any(
                each.measure == report.measures[measure].id and each.form.sign(0) for each in report.look.highlights
            ):
                width += self.scaled(14)
            own = self._own_width(report.measures[measure].id)
            widths.append(own or min(self.scaled(WIDEST), max(self.scaled(NARROWEST), width + self.scaled(2 * PAD))))
        return widths

    def _own_width(self, word: str) -> float:
        """The width that somebody gave the columns of a word; 0 for none."""
        points = next((each.points for each in self.report.look.widths if each.word == word), 0)
        return self.scaled(points)

    @cached_property
    def column_edges(self) -> np.ndarray:
        """Left edge of each column and the right edge of the last, from the first cell's; shape (width + 1,)."""
        report = self.report
        each = np.array(self.measure_widths or [0.0], float)
        on_rows = report.measures_on == "rows"
        widths = np.full(report.width, each.max()) if on_rows else each[report.top.measure]
        if report.width <= MOST_FITTED:
            for starts, stops, texts in self.sheet.headings_over():
                edges = np.concatenate([[0.0], np.cumsum(widths)])
                said = self._wide_enough(texts) + self.scaled(2 * PAD)
                lack = (said - (edges[stops] - edges[starts])) / (stops - starts)
                more = np.zeros(report.width + 1)
                more[starts] = np.maximum(np.ceil(lack - TINY), 0.0)
                more[stops] -= more[starts]
                widths = widths + np.cumsum(more)[:-1]
        return np.concatenate([[0.0], np.cumsum(np.round(widths))])

    def _wide_enough(self, texts: list[str]) -> np.ndarray:
        """How wide headings over cells would be; those that may go on over several lines, as wide as their longest word or a usual name."""
        names = figures_of(self.font(QFont.Weight.DemiBold)).names
        wide = {}
        for text in set(texts):
            give_way()
            said = names.wide(text)
            if self.wraps:
                said = max(min(said, self.scaled(WRAPPED)), max(map(names.wide, text.split()), default=0.0))
            wide[text] = said
        return np.array([wide[text] for text in texts])

    @cached_property
    def line_tops(self) -> np.ndarray:
        """Top of each line and the bottom of the last, from the first line's; a gap sets groups apart."""
        heights = self.line_heights.copy()
        heights[self.sheet.gaps] += self.scaled(GAP)
        return np.concatenate([[0.0], np.cumsum(heights)])

    @cached_property
    def line_heights(self) -> np.ndarray:
        """How high each line is without the gap under it: that of the longest of its names where these may go on over several lines."""
        heights = np.full(self.report.height, self.row_height)
        left = self.report.left
        if not self.wraps or self.sheet.indented:
            return heights
        bold = figures_of(self.font(QFont.Weight.DemiBold)).names
        plain = figures_of(self.font()).names
        step = bold.metrics.lineSpacing()
        for place, field in enumerate(left.places):
            if field == MEASURE or left.axis.heads[field].domain.type is not FieldType.TEXT:
                continue
            codes = left.axis.codes[left.line, field]
            used = distinct(codes[codes >= 0])
            if not 0 < len(used) <= MOST_WRAPPED:
                continue
            room, head = self.head_widths[place] - self.scaled(PAD) - EDGE, left.axis.heads[field]
            outer = field < left.axis.depth - 1 and self.report.style.bold_groups
            names = bold if outer else plain
            more = np.zeros(head.domain.size + 2)
            more[used] = [names.lines(name, room) - 1 for name in head.texts(used, self.report.locale)]
            named = (left.level > field) & ~(left.is_total & (left.level == field + 1))
            # A group is said once, on its first line.
            if field < left.axis.depth - 1 and not self.report.look.layout.repeat:
                named[1:] &= (left.names[1:, : place + 1] != left.names[:-1, : place + 1]).any(axis=1)
            heights[named] = np.maximum(heights[named], self.row_height + more[codes[named]] * step)
        totals = np.flatnonzero(left.is_total)
        for line in totals.tolist() if len(totals) <= MOST_WRAPPED and left.axis.depth else ():
            place = left.caption_place(line)
            room = sum(self._head_room(place)) - self.scaled(PAD) - EDGE
            heights[line] = self.row_height + (bold.lines(left.caption(line), room) - 1) * step
        return heights

    def _head_room(self, place: int) -> list[float]:
        """The widths of the head columns that a caption at a place may run on over: all that name no measures."""
        places = self.report.left.places[place + 1 :]
        return self.head_widths[place : place + 1 + (places.index(MEASURE) if MEASURE in places else len(places))]

    @cached_property
    def size(self) -> tuple[float, float]:
        """Width and height of the cells alone."""
        return float(self.column_edges[-1]), float(self.line_tops[-1])

    def columns_within(self, start: float, stop: float) -> range:
        """The columns that show between two distances from the first cell's left edge."""
        first = int(np.searchsorted(self.column_edges, start, "right")) - 1
        last = int(np.searchsorted(self.column_edges, stop, "left"))
        return range(max(0, first), min(self.report.width, last))

    def lines_within(self, start: float, stop: float) -> range:
        """The lines that show between two distances from the first line's top."""
        first = int(np.searchsorted(self.line_tops, start, "right")) - 1
        last = int(np.searchsorted(self.line_tops, stop, "left"))
        return range(max(0, first), min(self.report.height, last))
