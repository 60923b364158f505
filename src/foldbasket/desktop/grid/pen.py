"""What cells and names are drawn with: a style turned into colours and figures, and its rules."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFont, QGlyphRun, QPainter, QPen

from foldbasket.desktop.grid.figures import Figures
from foldbasket.desktop.widgets.plain import elided, short
from foldbasket.folding.dress.dressed import CellStyle
from foldbasket.spec.look import Rule

NAME = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter


class Pen:
    """A style, ready to draw with."""

    def __init__(self, style: CellStyle, font: QFont, figures: Figures) -> None:
        """`figures` are those of the font."""
        self.style, self.font, self.figures = style, font, figures
        self.run: Callable[[str], QGlyphRun | None] = figures.run
        """Gives a number's glyphs; None where it is drawn as text."""
        self.named: Callable[[str], QGlyphRun | None] | None = figures.names.run
        """Gives the glyphs of a name; None where it is drawn as text."""
        self.metrics, self.hang = figures.metrics, figures.hang
        self.ink = QColor(style.ink)
        self.plain = style.number is None and not style.blank
        """Whether the texts of its cells are as the measure has them."""

    def fitted(self, text: str, width: float) -> str:
        """The text, shortened where it is wider than that."""
        text = short(text)
        if self.figures.fits(text, width):
            return text
        return elided(self.metrics, text, width)

    def draw_name(self, painter: QPainter, area: tuple[float, float, float, float], text: str, *, wraps: bool) -> None:
        """Draws a name from the left of an area (left, top, width, height), over several lines where it `wraps`, else shortened where it is too wide."""
        left, top, width, height = area
        text = short(text)
        if self.figures.fits(text, width):
            middle = top + height / 2
            run = self.named(text) if self.named is not None else None
            if run is not None:
                painter.drawGlyphRun(QPointF(left, middle), run)
            else:
                painter.drawText(QPointF(left, middle + self.figures.base), text)
        elif wraps:
            painter.drawText(QRectF(*area), NAME | Qt.TextFlag.TextWordWrap, text)
        else:
            painter.drawText(QRectF(*area), NAME, self.fitted(text, width + 2))


def draw_rule(painter: QPainter, rule: Rule, left: float, right: float, at: float, colour: QColor) -> None:
    """Draws a rule from left to right; a double one is two thin ones."""
    if rule is Rule.NONE:
        return
    painter.setPen(QPen(colour, 2 if rule is Rule.THICK else 1))
    painter.drawLine(QPointF(left, at), QPointF(right, at))
    if rule is Rule.DOUBLE:
        painter.drawLine(QPointF(left, at + 2), QPointF(right, at + 2))
