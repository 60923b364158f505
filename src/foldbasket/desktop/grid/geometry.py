"""Where everything in the grid stands, in pixels: widths of columns, heights of lines, and what lies under a point."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from PyQt6.QtGui import QFont, QFontMetricsF

from foldbasket.desktop.widgets import theme
from foldbasket.folding.dress.dressed import CellStyle, Dressed
from foldbasket.folding.report.margins import MEASURE
from foldbasket.folding.report.report import Report
from foldbasket.outputs.sheet import Sheet
from foldbasket.styling.styles import Paper
from foldbasket.tables.column import Dictionary
from foldbasket.tables.types import FieldType

ROW, HEAD, GAP = 23, 25, 7
PAD = 9
LEFT, TOP = 22, 16
NARROWEST, WIDEST = 58, 300
EDGE = 3
SAMPLE = 120
MOST_KEPT = 20_000
LONGEST = 8
"""So many of the longest texts of a column are measured, since signs are not of one width."""
MOST_FITTED = 1_500
"""The columns of a wider report are as wide as their numbers ask; their headings are not measured one by one."""


@dataclass(frozen=True, eq=False)
class Geometry:
    """Built once per report and zoom. All sizes are in pixels at that zoom.

    `tabular` gives every digit one width. On paper it is off: fonts keep such digits under private code points, and a PDF
    of them could be neither searched nor copied.
    """

    report: Report
    zoom: float = 1.0
    tabular: bool = True
    paper: Paper = "light"

    @cached_property
    def sheet(self) -> Sheet:
        return Sheet(self.report)

    @cached_property
    def dressed(self) -> Dressed:
        return Dressed(self.report, self.paper)

    @cached_property
    def pens(self) -> dict[Any, Any]:
        """What each style is drawn with, kept by the painters of this geometry."""
        return {}

    @cached_property
    def foot(self) -> list[tuple[CellStyle | None, str]]:
        """What stands under the report: a sample of each highlight with its words, and the notes."""
        notes: list[tuple[CellStyle | None, str]] = [(None, note) for note in self.report.look.notes]
        return [*self.dressed.legend(), *notes]

    @cached_property
    def foot_height(self) -> float:
        return self.scaled(GAP) * 2 + len(self.foot) * self.row_height if self.foot else 0.0

    def row_head(self, line: int, first: int) -> list[str]:
        """The names of a row, as it stands in view from a first one on."""
        return self.sheet.row_head(line, repeat=self.report.look.layout.repeat, first=first)

    def indent_of(self, line: int) -> float:
        """How far the name of a line stands in, where the names of all levels stand in one column."""
        return self.scaled(self.report.style.indent * self.sheet.indent(line))

    @cached_property
    def _text_widths(self) -> dict[tuple[str, int, bool], float]:
        return {}

    @cached_property
    def _metrics(self) -> dict[tuple[int, bool], QFontMetricsF]:
        return {}

    def text_width(self, text: str, font: QFont) -> float:
        """How wide a heading is in one of this geometry's fonts; kept, since the same ones are drawn frame after frame."""
        key = (text, font.weight(), font.italic())
        if key not in self._text_widths:
            if len(self._text_widths) > MOST_KEPT:  # a long report has more names than are worth keeping
                self._text_widths.clear()
            metrics = self._metrics.get(key[1:])
            if metrics is None:
                metrics = self._metrics[key[1:]] = QFontMetricsF(font)
            self._text_widths[key] = metrics.horizontalAdvance(text)
        return self._text_widths[key]

    def scaled(self, pixels: float) -> float:
        return round(pixels * self.zoom)

    def font(
        self, weight: QFont.Weight = QFont.Weight.Normal, size: float = theme.BODY, *, italic: bool = False
    ) -> QFont:
        """A face of the style, at a size that goes with its own."""
        style = self.report.style
        made = theme.font(size * self.zoom * style.size / theme.BODY, weight, self.tabular)
        if not (style.family or italic):
            return made
        made = QFont(made)
        if style.family:
            made.setFamilies([style.family, made.family()])
            if style.family == "serif":
                made.setStyleHint(QFont.StyleHint.Serif)
        made.setItalic(italic)
        return made

    @cached_property
    def row_height(self) -> float:
        return self.scaled(ROW * self.report.style.spacing)

    @cached_property
    def head_heights(self) -> list[float]:
        """One per head row; those of fields are a little higher than that of the measures."""
        places = self.report.top.places or (MEASURE,)
        return [self.scaled(HEAD if place == MEASURE else HEAD + 4) for place in places]

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
        shown = [
            [
                "\u2003" * self.sheet.indent(row) + text
                for text in self.sheet.row_head(row, repeat=not report.left.is_total[row])
            ]
            for row in range(0, report.height, step)
        ]
        for place, heading in enumerate(self.sheet.corner()):
            texts = {heading, *(texts[place] for texts in shown), *self._longest_members(place)}
            widest = max((bold.horizontalAdvance(text) for text in sorted(texts, key=len)[-12:]), default=0)
            field = self.report.left.places[place] if place < len(self.report.left.places) else MEASURE
            own = self._own_width(self.report.rows.heads[field].id) if field != MEASURE else 0.0
            widths.append(own or min(self.scaled(WIDEST), max(self.scaled(72), widest + self.scaled(3 * PAD))))
        return widths

    def _longest_members(self, place: int) -> list[str]:
        """The longest names of a head column of its own, which a sample of its lines may have missed."""
        field = self.report.left.places[place] if place < len(self.report.left.places) else MEASURE
        if field == MEASURE or self.report.look.layout.indented:
            return []
        domain, codes = self.report.rows.heads[field].domain, np.unique(self.report.rows.codes[:, field])
        codes = codes[(codes >= 0) & (codes < domain.blank)]
        if domain.part is not None or domain.type is not FieldType.TEXT:
            return []
        return _longest(domain.dictionary, codes)

    @cached_property
    def heads_width(self) -> float:
        return self.left + sum(self.head_widths)

    @cached_property
    def measure_widths(self) -> list[float]:
        """One per measure, wide enough for its largest and smallest number in any cell."""
        report = self.report
        bold = QFontMetricsF(self.font(QFont.Weight.DemiBold))
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
                    texts.update(_longest(block.dictionary, np.unique(flat[shown])))
                for spot in spots:
                    texts.add(report.written(measure, *divmod(int(spot), block.data.shape[1])))
            width = max((bold.horizontalAdvance(text) for text in texts), default=0)
            if report.top.has_measures:
                width = max(width, small.horizontalAdvance(report.measures[measure].heading))
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
            heavy = self.font(QFont.Weight.DemiBold)
            for span in self.sheet.column_heads():
                if not span.is_measure or span.columns > 1:
                    lack = (
                        self.text_width(span.text, heavy)
                        + self.scaled(2 * PAD)
                        - widths[span.column : span.column + span.columns].sum()
                    )
                    if lack > 0:
                        widths[span.column : span.column + span.columns] += np.ceil(lack / span.columns)
        return np.concatenate([[0.0], np.cumsum(np.round(widths))])

    @cached_property
    def line_tops(self) -> np.ndarray:
        """Top of each line and the bottom of the last, from the first line's; a gap sets groups apart."""
        heights = np.full(self.report.height, self.row_height)
        heights[self.sheet.gaps] += self.scaled(GAP)
        return np.concatenate([[0.0], np.cumsum(heights)])

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


def _longest(dictionary: Dictionary, codes: np.ndarray) -> list[str]:
    """The texts of some codes that have the most signs."""
    if not len(codes):
        return []
    texts = dictionary.values.take(pa.array(codes.astype(np.int64)))
    signs = pc.utf8_length(texts).to_numpy()
    most = np.argpartition(signs, -LONGEST)[-LONGEST:] if len(signs) > LONGEST else np.arange(len(signs))
    return [str(texts[int(at)]) for at in most]
