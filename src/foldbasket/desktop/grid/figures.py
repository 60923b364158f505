"""Draws numbers fast: their glyphs are looked up once per sign, and each text's run of glyphs is kept.

Numbers are made of a few signs that do not influence each other in tabular figures, so shaping each cell's text anew, which
costs some 30 µs a cell, is wasted. Text that holds any other sign is left to the ordinary way.
"""

from __future__ import annotations

import threading
from functools import cached_property
from itertools import accumulate

from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QFont, QFontMetricsF, QGlyphRun, QRawFont, QTextLayout

SIGNS = "0123456789.,()-−%€$£ \u00a0\u202f'’"
LETTERS = "".join(map(chr, range(32, 127))) + "−–’·£€"
MOST_KEPT = 40_000


class _Points(dict[float, QPointF]):
    """Points on one line by how far they are along it. Numbers have few places for their signs, and to make a point takes longer than
    to find it."""

    def __init__(self, y: float) -> None:
        super().__init__()
        self._y = y

    def __missing__(self, x: float) -> QPointF:
        if len(self) > MOST_KEPT:
            self.clear()
        made = self[x] = QPointF(x, self._y)
        return made


class Figures:
    """The figures of one font, and how wide its usual letters are. `run` gives a text's glyphs, set so that its right edge is at x = 0 and its middle at y = 0."""

    def __init__(self, font: QFont) -> None:
        self._raw = QRawFont()
        self._indexes: dict[str, int] = {}
        self._advances: dict[str, float] = {}
        self._runs: dict[str, QGlyphRun | None] = {}
        metrics = self.metrics = QFontMetricsF(font)
        self.hang = metrics.horizontalAdvance(")")
        self.base = metrics.ascent() - metrics.height() / 2
        """How far the line that signs stand on is below the middle."""
        self._points = _Points(self.base)
        for sign in SIGNS:
            layout = QTextLayout(sign, font)
            layout.beginLayout()
            layout.createLine()
            layout.endLayout()
            runs = layout.glyphRuns()
            if len(runs) != 1 or len(runs[0].glyphIndexes()) != 1:
                continue
            if not self._indexes:
                self._raw = runs[0].rawFont()
            if runs[0].rawFont() == self._raw:
                self._indexes[sign], self._advances[sign] = runs[0].glyphIndexes()[0], metrics.horizontalAdvance(sign)
        self._once = QGlyphRun()
        self._once.setRawFont(self._raw)

    @cached_property
    def _widths(self) -> dict[str, float]:
        return {letter: self.metrics.horizontalAdvance(letter) for letter in LETTERS}

    def fits(self, text: str, width: float) -> bool:
        """Whether a text surely fits: what its letters come to, in pixels, which is quicker than to have it shaped, and within one or two of it."""
        try:
            return sum(map(self._widths.__getitem__, text)) <= width
        except KeyError:  # letters that may be joined or of any width
            return False

    def wide(self, text: str) -> float:
        """How wide a number's text is, in pixels."""
        try:
            return sum(map(self._advances.__getitem__, text))
        except KeyError:
            return self.metrics.horizontalAdvance(text)

    def run(self, text: str) -> QGlyphRun | None:
        """The text as glyphs; None when it holds a sign that is no figure of this font."""
        try:
            return self._runs[text]
        except KeyError:
            if len(self._runs) > MOST_KEPT:
                self._runs.clear()
            made = self._runs[text] = self._set(QGlyphRun(), text)
            return made

    def run_once(self, text: str) -> QGlyphRun | None:
        """The same for what is drawn once, as on paper: always the same run, good until the next is asked for."""
        return self._set(self._once, text)

    def _set(self, run: QGlyphRun, text: str) -> QGlyphRun | None:
        try:
            indexes, wide = list(map(self._indexes.__getitem__, text)), list(map(self._advances.__getitem__, text))
        except KeyError:
            return None
        if run is not self._once:
            run.setRawFont(self._raw)
        run.setGlyphIndexes(indexes)  # in the order of reading, in which a file is read back
        run.setPositions(list(map(self._points.__getitem__, accumulate(wide[:-1], initial=-sum(wide)))))
        return run


class _Kept(threading.local):
    """Figures by their fonts. Qt's raw fonts belong to the thread that made them: drawn with from another they end the process."""

    def __init__(self) -> None:
        self.by_font: dict[str, Figures] = {}


_kept = _Kept()


def figures_of(font: QFont) -> Figures:
    """The figures of a font, kept for this thread."""
    key, kept = font.key(), _kept.by_font
    if key not in kept:
        kept[key] = Figures(font)
    return kept[key]
