"""The controls that stand on cards: a drop-down, an action in words, a line to type into, the line of a section."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QPoint, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFont, QKeyEvent, QKeySequence, QPainter, QPaintEvent, QPen, QPolygon
from PyQt6.QtWidgets import (
    QComboBox,
    QLineEdit,
    QPushButton,
    QSizePolicy,
    QStyle,
    QStyleOptionButton,
    QStyleOptionComboBox,
    QStylePainter,
    QWidget,
)

from foldbasket.desktop.widgets import theme
from foldbasket.desktop.widgets.plain import elided


class Chooser(QComboBox):
    """A drop-down that is as wide as its text, with our own small mark."""

    def wheelEvent(self, event: Any) -> None:
        event.ignore()  # scrolling the card must not change the report

    def minimumSizeHint(self) -> QSize:
        return QSize(64, super().minimumSizeHint().height())

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, option = QStylePainter(self), QStyleOptionComboBox()
        self.initStyleOption(option)
        room = self.width() - 32
        option.currentText = elided(self.fontMetrics(), option.currentText or "", room)
        painter.drawComplexControl(QStyle.ComplexControl.CC_ComboBox, option)
        painter.drawControl(QStyle.ControlElement.CE_ComboBoxLabel, option)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QColor(theme.palette().muted))
        x, y = self.width() - 12, self.height() // 2 - 1
        painter.drawPolyline(QPolygon([QPoint(x - 3, y - 1), QPoint(x, y + 2), QPoint(x + 3, y - 1)]))


class LinkButton(QPushButton):
    """An action in words, which end in an ellipsis where the card is too narrow for them."""

    def minimumSizeHint(self) -> QSize:
        return QSize(40, super().minimumSizeHint().height())

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, option = QStylePainter(self), QStyleOptionButton()
        self.initStyleOption(option)
        option.text = elided(self.fontMetrics(), self.text(), self.width() - 4)
        painter.drawControl(QStyle.ControlElement.CE_PushButton, option)


class Line(QLineEdit):
    """A line to type into that keeps undo to itself only while there is typing to undo."""

    def event(self, event: Any) -> bool:
        if event.type() == event.Type.ShortcutOverride:
            undoes = event.matches(QKeySequence.StandardKey.Undo) and not self.isUndoAvailable()
            redoes = event.matches(QKeySequence.StandardKey.Redo) and not self.isRedoAvailable()
            if undoes or redoes:
                event.ignore()
                return False
        return super().event(event)


class SectionHead(QPushButton):
    """The line of a section: what it is at the left, how it stands at the right, and whether it is open. Up and Down go to the line of the
    section before or after, which `passed` tells by −1 or 1: Tab goes through all that stands between."""

    passed = pyqtSignal(int)

    def __init__(self, title: str, parent: QWidget) -> None:
        super().__init__(parent)
        self.title, self.state = title, ""
        self.setCheckable(True)
        self.setProperty("role", "head")
        self.setFixedHeight(30)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.say("")

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()))
        if step is not None:
            self.passed.emit(step)
        else:
            super().keyPressEvent(event)

    def say(self, state: str) -> None:
        """Says how the section stands."""
        self.state = state
        self.setAccessibleName(f"{self.title}: {state}" if state else self.title)
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, colours = QPainter(self), theme.palette()
        painter.setPen(QColor(colours.line))
        painter.drawLine(0, 0, self.width(), 0)
        room = self.rect().adjusted(0, 1, -14, 0)
        painter.setFont(theme.font(theme.SMALL, QFont.Weight.DemiBold))
        painter.setPen(QColor(colours.ink if self.underMouse() or self.isChecked() else colours.muted))
        painter.drawText(room, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, self.title)
        left = painter.fontMetrics().horizontalAdvance(self.title) + 12
        painter.setFont(theme.font(theme.SMALL))
        painter.setPen(QColor(colours.ink))
        if self.state and not self.isChecked():
            shown = elided(painter.fontMetrics(), self.state, room.width() - left)
            painter.drawText(room, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, shown)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QColor(colours.muted))
        x, y = self.width() - 6, self.height() // 2
        down = [QPoint(x - 3, y - 1), QPoint(x, y + 2), QPoint(x + 3, y - 1)]
        painter.drawPolyline(
            QPolygon(down if self.isChecked() else [QPoint(x - 2, y - 3), QPoint(x + 1, y), QPoint(x - 2, y + 3)])
        )
        if self.hasFocus():
            # Above and below: at its sides a frame would cut into the text.
            painter.setPen(QPen(QColor(colours.rows), 2))
            painter.drawLine(0, 1, self.width(), 1)
            painter.drawLine(0, self.height() - 1, self.width(), self.height() - 1)
