"""A range set on a small drawing of a field's values: two handles, by mouse or by keys."""

from __future__ import annotations

import math
from collections.abc import Callable
from decimal import Decimal

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from foldbasket.desktop.widgets import theme

EDGE, STEPS = 8, 100


def round_step(reach: float, whole: bool) -> Decimal:
    """The step that a handle moves by: a round number, about a hundredth of the way; at least 1 where values are whole."""
    if not math.isfinite(reach) or reach <= 0:
        return Decimal(1)
    power = Decimal(10) ** math.floor(math.log10(reach / STEPS))
    step = next(power * many for many in (1, 2, 5, 10) if float(power * many) >= reach / STEPS * 0.999)
    return max(step, Decimal(1)) if whole else step


class SpanDrawing(QWidget):
    """The values of a field as bars, and over them the range that is kept. `low` and `high` are None where that side is open;
    `chosen` is called with both when a handle is let go or moved by a key."""

    def __init__(
        self,
        bars: tuple[float, ...],
        ends: tuple[float, float],
        kept: tuple[Decimal | None, Decimal | None],
        whole: bool,
        chosen: Callable[[Decimal | None, Decimal | None], None],
        parent: QWidget,
    ) -> None:
        super().__init__(parent)
        self._bars, self._ends, self._chosen = bars, ends, chosen
        self._step = round_step(ends[1] - ends[0], whole)
        self._kept = list(kept)
        self._held = 0
        self._is_down = False
        self.setFixedHeight(58)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.SizeHorCursor)
        self.setAccessibleName("Range")
        self.setAccessibleDescription("← and → move an end, the arrows up and down choose which, Home and End open it.")
        self.setToolTip("Drag an end. By keys: ← and → move it, ↑ and ↓ choose the end.")

    def sizeHint(self) -> QSize:
        return QSize(180, 58)

    # --- places and values --------------------------------------------------

    def _x(self, value: Decimal | None, at: int) -> float:
        left, right = EDGE, self.width() - EDGE
        if value is None:
            return float((left, right)[at])
        reach = self._ends[1] - self._ends[0] or 1.0
        return left + (right - left) * min(1.0, max(0.0, (float(value) - self._ends[0]) / reach))

    def _value(self, x: float) -> Decimal | None:
        """The round value at a place; None at either edge, where the range is open."""
        left, right = EDGE, self.width() - EDGE
        share = (x - left) / max(1, right - left)
        if share <= 0.004 or share >= 0.996:
            return None
        value = Decimal(repr(self._ends[0] + share * (self._ends[1] - self._ends[0])))
        return (value / self._step).to_integral_value() * self._step

    def _set(self, at: int, value: Decimal | None) -> None:
        other = self._kept[1 - at]
        if value is not None and other is not None and (value > other if at == 0 else value < other):
            value = other
        self._kept[at] = value
        self.update()

    def _say(self) -> None:
        self._chosen(self._kept[0], self._kept[1])

    # --- drawing ------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent | None) -> None:
        colours, painter = theme.palette(), QPainter(self)
        left, right, base = float(EDGE), float(self.width() - EDGE), self.height() - 12.0
        low, high = self._x(self._kept[0], 0), self._x(self._kept[1], 1)
        each = (right - left) / max(1, len(self._bars))
        for at, height in enumerate(self._bars):
            middle = left + (at + 0.5) * each
            tall = max(1.0, height * (base - 6)) if height else 0.0
            inside = low <= middle <= high
            colour = colours.strand("filters") if inside else QColor(colours.line)
            painter.fillRect(QRectF(left + at * each + 0.5, base - tall, max(1.0, each - 1), tall), colour)
        painter.setPen(QPen(QColor(colours.rule), 1))
        painter.drawLine(QPointF(left, base + 0.5), QPointF(right, base + 0.5))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for at, x in enumerate((low, high)):
            held = self.hasFocus() and at == self._held
            painter.setPen(QPen(QColor(colours.ink), 2 if held else 1.2))
            painter.drawLine(QPointF(x, 4), QPointF(x, base + 4))
            painter.setBrush(QColor(colours.ink if held else colours.page))
            painter.drawEllipse(QPointF(x, base + 5), 4, 4)

    # --- hands --------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        x = event.position().x()
        ends = [self._x(self._kept[at], at) for at in (0, 1)]
        self._held = 0 if abs(x - ends[0]) <= abs(x - ends[1]) and not (ends[0] == ends[1] and x > ends[0]) else 1
        self._is_down = True
        self._set(self._held, self._value(x))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._is_down:
            self._set(self._held, self._value(event.position().x()))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._is_down:
            self._is_down = False
            self._say()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        key, at = event.key(), self._held
        if key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self._held = 1 - at
            self.update()
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            step = self._step * (1 if key == Qt.Key.Key_Right else -1)
            now = self._kept[at]
            start = Decimal(repr(self._ends[at])) if now is None else now
            self._set(at, (start / self._step).to_integral_value() * self._step + step)
            self._say()
        elif key in (Qt.Key.Key_Home, Qt.Key.Key_End):
            self._set(at, None)
            self._say()
        else:
            super().keyPressEvent(event)
