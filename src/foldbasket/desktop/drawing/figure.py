"""A chart as strokes and texts that a painter draws: on paper its lines are as fine as the paper's own, and its texts can be read and searched for."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from typing import Any

from matplotlib.backend_bases import GraphicsContextBase, RendererBase
from matplotlib.colors import to_rgba
from matplotlib.figure import Figure
from matplotlib.path import Path
from matplotlib.transforms import Affine2D
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QColor, QFont, QFontMetricsF, QPainter, QPainterPath, QPen

from foldbasket.desktop.widgets import theme

BOLD = 600
"""The weight from which on letters are bold."""


@dataclass(frozen=True)
class Stroke:
    """A line, an area, or both; within another area where that is given."""

    path: QPainterPath
    pen: QPen
    brush: QBrush
    within: QPainterPath | None = None


@dataclass(frozen=True)
class Said:
    """A text with the left end of its base line."""

    text: str
    at: QPointF
    font: QFont
    ink: QColor
    turned: float


@dataclass
class DrawnFigure:
    """What a figure is made of, in the order of drawing, in pixels from its upper left corner."""

    width: float
    height: float
    parts: list[Stroke | Said] = field(default_factory=list)

    def paint(self, painter: QPainter) -> None:
        """Draws it at the painter's origin."""
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for each in self.parts:
            painter.save()
            if isinstance(each, Said):
                painter.setFont(each.font)
                painter.setPen(each.ink)
                painter.translate(each.at)
                painter.rotate(-each.turned)
                painter.drawText(QPointF(0, 0), each.text)
            else:
                if each.within is not None:
                    painter.setClipPath(each.within, Qt.ClipOperation.IntersectClip)
                painter.setPen(each.pen)
                painter.setBrush(each.brush)
                painter.drawPath(each.path)
            painter.restore()
        painter.restore()


def drawn_figure(figure: Figure, width: float, height: float) -> DrawnFigure:
    """A figure of so many pixels as strokes and texts."""
    into = DrawnFigure(width, height)
    figure.draw(_Renderer(into, figure.dpi))
    return into


class _Renderer(RendererBase):
    """Takes down what matplotlib draws."""

    def __init__(self, into: DrawnFigure, dpi: float) -> None:
        super().__init__()
        self.into, self.dpi = into, dpi
        self._flip = Affine2D().scale(1, -1).translate(0, into.height)

    def get_canvas_width_height(self) -> tuple[float, float]:
        return self.into.width, self.into.height

    def points_to_pixels(self, points: Any) -> Any:
        return points * self.dpi / 72

    def get_text_width_height_descent(self, s: str, prop: Any, ismath: Any) -> tuple[float, float, float]:
        metrics = QFontMetricsF(self._font(prop))
        return metrics.horizontalAdvance(s), metrics.ascent() + metrics.descent(), metrics.descent()

    def _font(self, prop: Any) -> QFont:
        weight = prop.get_weight()
        is_bold = weight in ("semibold", "bold") if isinstance(weight, str) else weight >= BOLD
        size = float(self.points_to_pixels(prop.get_size_in_points()))
        # A copy: the theme's own is everybody's.
        made = QFont(theme.font(size, QFont.Weight.DemiBold if is_bold else QFont.Weight.Normal))
        made.setFamilies(list(prop.get_family()))
        return made

    def draw_text(
        self, gc: GraphicsContextBase, x: float, y: float, s: str, prop: Any, angle: float, ismath: Any = False, mtext: Any = None
    ) -> None:  # fmt: skip
        self.into.parts.append(Said(s, QPointF(x, y), self._font(prop), _colour(gc.get_rgb()), angle))

    def draw_path(self, gc: GraphicsContextBase, path: Path, transform: Any, rgbFace: Any = None) -> None:  # noqa: N803 - matplotlib's name
        made = _qt_path(path, transform + self._flip)
        brush = QBrush(Qt.BrushStyle.NoBrush)
        if rgbFace is not None:
            face = to_rgba(rgbFace, gc.get_alpha() if gc.get_forced_alpha() else None)
            brush = QBrush(_colour(face))
        pen = self._pen(gc, gc.get_linewidth(), gc.get_rgb())
        hatch = gc.get_hatch_path()
        if hatch is None:
            self.into.parts.append(Stroke(made, pen, brush))
            return
        self.into.parts.append(Stroke(made, QPen(Qt.PenStyle.NoPen), brush))
        ink = to_rgba(gc.get_hatch_color())
        tiles = _tiled(hatch, made.boundingRect(), self.dpi)
        self.into.parts.append(Stroke(tiles, self._pen(gc, gc.get_hatch_linewidth(), ink), QBrush(_colour(ink)), made))
        self.into.parts.append(Stroke(made, pen, QBrush(Qt.BrushStyle.NoBrush)))

    def _pen(self, gc: GraphicsContextBase, points: float, ink: Sequence[float]) -> QPen:
        if not points or not ink[3:] or not ink[3]:
            return QPen(Qt.PenStyle.NoPen)
        wide = float(self.points_to_pixels(points))
        pen = QPen(_colour(ink), wide)
        pen.setCapStyle(CAPS[gc.get_capstyle()])
        pen.setJoinStyle(JOINS[gc.get_joinstyle()])
        start, dashes = gc.get_dashes()
        if dashes is not None:
            pen.setDashPattern([float(self.points_to_pixels(each)) / wide for each in dashes])
            pen.setDashOffset(float(self.points_to_pixels(start)) / wide)
        return pen


CAPS = {"butt": Qt.PenCapStyle.FlatCap, "projecting": Qt.PenCapStyle.SquareCap, "round": Qt.PenCapStyle.RoundCap}
JOINS = {"miter": Qt.PenJoinStyle.MiterJoin, "bevel": Qt.PenJoinStyle.BevelJoin, "round": Qt.PenJoinStyle.RoundJoin}


def _colour(rgba: Sequence[float]) -> QColor:
    return QColor.fromRgbF(*(float(each) for each in rgba))


def _qt_path(path: Path, transform: Any) -> QPainterPath:
    made = QPainterPath()
    for points, code in path.iter_segments(transform, simplify=False):
        at = [QPointF(float(points[each]), float(points[each + 1])) for each in range(0, len(points), 2)]
        if code == Path.MOVETO:
            made.moveTo(at[0])
        elif code == Path.LINETO:
            made.lineTo(at[0])
        elif code == Path.CURVE3:
            made.quadTo(*at)
        elif code == Path.CURVE4:
            made.cubicTo(*at)
        elif code == Path.CLOSEPOLY:
            made.closeSubpath()
    return made


def _tiled(hatch: Path, over: QRectF, size: float) -> QPainterPath:
    """The pattern of a hatch, square beside square, over an area."""
    one, made = _qt_path(hatch, Affine2D().scale(size, size)), QPainterPath()
    for x, y in _corners(over, size):
        made.addPath(one.translated(x, y))
    return made


def _corners(over: QRectF, size: float) -> Iterator[tuple[float, float]]:
    for across in range(int(over.left() // size), int(over.right() // size) + 1):
        for down in range(int(over.top() // size), int(over.bottom() // size) + 1):
            yield across * size, down * size
