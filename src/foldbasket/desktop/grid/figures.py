"""Draws numbers and names fast: glyphs are looked up once per sign, and each text's run of glyphs is kept.

Numbers are made of a few signs that do not influence each other in tabular figures, and in names of Latin letters only neighbours do, by their
kerning; so shaping each text anew, which costs some 20 µs, is wasted. Text that holds any other sign is left to the ordinary way.
"""

from __future__ import annotations

import math
import threading
from collections.abc import Iterable
from functools import cached_property
from itertools import accumulate
from operator import add
from typing import ClassVar

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QFont, QFontMetricsF, QGlyphRun, QTextLayout

from foldbasket.desktop.widgets.plain import short
from foldbasket.turns import give_way

DIGITS = "0123456789"
SIGNS = DIGITS + ".,()-−%€$£ \u00a0\u202f'’"
LETTERS = "".join(map(chr, range(32, 127))) + "−–’·£€"
LATIN = "".join(map(chr, range(0xC0, 0x180)))
MOST_KEPT = 40_000
SLACK = 2.0
"""Pixels by which Qt may set a line wider than its letters come to."""


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


class _Glyphs(dict[str, int]):
    """The glyph of each sign of a font. Raises KeyError for a sign that comes from another font, or is made of several glyphs."""

    def __init__(self, font: QFont, signs: frozenset[str]) -> None:
        super().__init__()
        self._font, self._signs = font, signs
        self.raw = shaped("0", font)[0].rawFont()

    def __missing__(self, sign: str) -> int:
        if sign not in self._signs:
            raise KeyError(sign)
        runs = shaped(sign, self._font)
        if len(runs) != 1 or len(runs[0].glyphIndexes()) != 1 or runs[0].rawFont() != self.raw:
            raise KeyError(sign)
        made = self[sign] = runs[0].glyphIndexes()[0]
        return made


def shaped(text: str, font: QFont) -> list[QGlyphRun]:
    """The glyphs that Qt draws a text with."""
    layout = QTextLayout(text, font)
    layout.beginLayout()
    layout.createLine()
    layout.endLayout()
    return layout.glyphRuns()


class _Runs:
    """Texts of one font as runs of glyphs, their middle at y = 0."""

    signs: ClassVar[frozenset[str]]

    def __init__(self, font: QFont) -> None:
        self._glyphs = _Glyphs(font, self.signs)
        self._made: dict[str, QGlyphRun | None] = {}
        metrics = self.metrics = QFontMetricsF(font)
        self.base = metrics.ascent() - metrics.height() / 2
        """How far the line that signs stand on is below the middle."""
        self._points = _Points(self.base)

    def run(self, text: str) -> QGlyphRun | None:
        """The text as glyphs; None when it holds a sign that must be drawn in the ordinary way."""
        try:
            return self._made[text]
        except KeyError:
            if len(self._made) > MOST_KEPT:
                self._made.clear()
            made = self._made[text] = self._set(text)
            return made

    def _set(self, text: str) -> QGlyphRun | None:
        try:
            indexes, places = list(map(self._glyphs.__getitem__, text)), self._places(text)
        except KeyError:
            return None
        run = QGlyphRun()
        run.setRawFont(self._glyphs.raw)
        run.setGlyphIndexes(indexes)  # in the order of reading, in which a file is read back
        run.setPositions(list(map(self._points.__getitem__, places)))
        return run

    def _places(self, text: str) -> Iterable[float]:
        """How far each sign stands to the right. Raises KeyError."""
        raise NotImplementedError


class _Advances(dict[str, float]):
    """How far the sign after each sign stands: after one alone, or, as letters are kerned, after the first of two."""

    def __init__(self, metrics: QFontMetricsF) -> None:
        super().__init__()
        self._wide = metrics.horizontalAdvance

    def __missing__(self, signs: str) -> float:
        made = self[signs] = self._wide(signs) - (self._wide(signs[1:]) if len(signs) > 1 else 0.0)
        return made


class Names(_Runs):
    """Names of one font, whose left edge is at x = 0. Letters that are joined or set by marks are left to the ordinary way."""

    signs = frozenset(LETTERS + LATIN)

    def __init__(self, font: QFont) -> None:
        super().__init__(font)
        self._advances = _Advances(self.metrics)

    def wide(self, text: str) -> float:
        """How wide what is drawn of a name is, in pixels; many times as fast as to have it shaped."""
        text = short(text)
        if not self.signs.issuperset(text):
            return self.metrics.horizontalAdvance(text)
        return sum(map(self._advances.__getitem__, map(add, text, text[1:]))) + self._advances[text[-1:]]

    def lines(self, text: str, room: float) -> int:
        """How many lines a name takes in a room of a width where it may go on behind each space: those that Qt sets, or one or two more where it would break
        at other signs, too. What has other letters, or a word that is wider than the room, is set by Qt."""
        give_way()  # pages and pictures are laid out beside the window
        text = short(text)
        sure = room - SLACK
        if self.wide(text) <= sure:
            return 1
        words = [self.wide(word) for word in text.split()] if self.signs.issuperset(text) else [math.inf]
        if max(words, default=0.0) > sure:
            high = self.metrics.boundingRect(
                QRectF(0, 0, max(room, 1.0), 10_000), Qt.TextFlag.TextWordWrap, text
            ).height()
            return max(1, round(high / self.metrics.lineSpacing()))
        lines, taken, space = 1, 0.0, self._advances[" "]
        for wide in words:
            if taken and taken + space + wide > sure:
                lines, taken = lines + 1, wide
            else:
                taken += wide + (space if taken else 0.0)
        return lines

    def _places(self, text: str) -> Iterable[float]:
        return accumulate(map(self._advances.__getitem__, map(add, text, text[1:])), initial=0.0)


class Figures(_Runs):
    """The figures of one font, whose right edge is at x = 0, and how wide its usual letters are."""

    signs = frozenset(SIGNS)

    def __init__(self, font: QFont) -> None:
        super().__init__(font)
        self.hang = self.metrics.horizontalAdvance(")")
        self.names = Names(font)
        self._advances = _Advances(self.metrics)
        self._by_shape: dict[str, QGlyphRun | None] = {}

    @cached_property
    def _shapes(self) -> dict[int, str]:
        """Digits of one width stand in the same places whichever they are; what they have in common is told by one of them."""
        return dict.fromkeys(map(ord, DIGITS), "0") if len({self._advances[digit] for digit in DIGITS}) == 1 else {}

    def run_once(self, text: str) -> QGlyphRun | None:
        """A run for what is drawn once, as on paper: good until the next is asked for."""
        shape = text.translate(self._shapes)
        run = self._by_shape.get(shape)
        if run is not None:
            run.setGlyphIndexes(list(map(self._glyphs.__getitem__, text)))
            return run
        if len(self._by_shape) > MOST_KEPT:
            self._by_shape.clear()
        made = self._by_shape[shape] = self._set(text)
        return made

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
        """How wide what is drawn of a number's text is, in pixels."""
        text = short(text)
        if self.signs.issuperset(text):
            return sum(map(self._advances.__getitem__, text))
        return self.metrics.horizontalAdvance(text)

    def _places(self, text: str) -> Iterable[float]:
        wide = list(map(self._advances.__getitem__, text))
        return accumulate(wide[:-1], initial=-sum(wide))


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
