"""Draws numbers fast: their glyphs are looked up once per sign, and each text's run of glyphs is kept.

Numbers are made of a few signs that do not influence each other in tabular figures, so shaping each cell's text anew, which
costs some 30 µs a cell, is wasted. Text that holds any other sign is left to the ordinary way.
"""

from __future__ import annotations

from functools import cached_property

from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QFont, QFontMetricsF, QGlyphRun, QRawFont, QTextLayout

SIGNS = "0123456789.,()-−%€$£ \u00a0\u202f'’"
LETTERS = "".join(map(chr, range(32, 127))) + "−–’·£€"
MOST_KEPT = 40_000


class Figures:
    """The figures of one font, and how wide its usual letters are. `run` gives a text's glyphs, set so that its right edge is at x = 0 and its middle at y = 0."""

    def __init__(self, font: QFont) -> None:
        self._raw: QRawFont | None = None
        self._glyphs: dict[str, tuple[int, float]] = {}
        self._runs: dict[str, QGlyphRun | None] = {}
        metrics = self.metrics = QFontMetricsF(font)
        self.hang = metrics.horizontalAdvance(")")
        self._base = metrics.ascent() - metrics.height() / 2
        for sign in SIGNS:
            layout = QTextLayout(sign, font)
            layout.beginLayout()
            layout.createLine()
            layout.endLayout()
            runs = layout.glyphRuns()
            if len(runs) != 1 or len(runs[0].glyphIndexes()) != 1:
                continue
            if self._raw is None:
                self._raw = runs[0].rawFont()
            if runs[0].rawFont() == self._raw:
                self._glyphs[sign] = (runs[0].glyphIndexes()[0], metrics.horizontalAdvance(sign))

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
            return sum([self._glyphs[sign][1] for sign in text])
        except KeyError:
            return self.metrics.horizontalAdvance(text)

    def run(self, text: str) -> QGlyphRun | None:
        """The text as glyphs; None when it holds a sign that is no figure of this font."""
        try:
            return self._runs[text]
        except KeyError:
            if len(self._runs) > MOST_KEPT:
                self._runs.clear()
            made = self._runs[text] = self._made(text)
            return made

    def _made(self, text: str) -> QGlyphRun | None:
        if self._raw is None:
            return None
        indexes, positions, x, y = [], [], 0.0, self._base
        for sign in reversed(text):
            glyph = self._glyphs.get(sign)
            if glyph is None:
                return None
            x -= glyph[1]
            indexes.append(glyph[0])
            positions.append(QPointF(x, y))
        run = QGlyphRun()
        run.setRawFont(self._raw)
        run.setGlyphIndexes(indexes)
        run.setPositions(positions)
        return run


_kept: dict[str, Figures] = {}


def figures_of(font: QFont) -> Figures:
    """The figures of a font, kept."""
    key = font.key()
    if key not in _kept:
        _kept[key] = Figures(font)
    return _kept[key]
